import { upkeep, type Kept } from '@dewpost/contract';
import { counted } from '@dewpost/core/quantity';
import { monthsThatGo } from '@dewpost/core/series';
import { ChangeDetectionStrategy, Component, computed, inject, linkedSignal, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { Store } from '@ngrx/store';
import { Api, ApiError, messageOf } from '../../data/api';
import { nodeNames } from '../../data/node-names';
import { placeFeature } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import { PlainTable, type PlainColumn, type PlainRow } from '../../parts/plain-table';
import { wholeDate } from '../../parts/times';
import { ValueField } from '../../parts/value-field';
import { UpkeepPages } from '../upkeep-pages';
import { monthWords, room } from './kept-words';

const COLUMNS: readonly PlainColumn[] = [
  { id: 'month', label: 'Month', kind: 'head' },
  { id: 'days', label: 'Days', kind: 'figure' },
  { id: 'points', label: 'Points', kind: 'figure' },
  { id: 'room', label: 'Room', kind: 'figure' },
  { id: 'becomes', label: 'By this rule', kind: 'words' },
];

/** How long raw readings are kept, with what would go shown first; and what counts as a trial. */
@Component({
  selector: 'dp-kept-page',
  imports: [MatButton, PlainTable, UpkeepPages, ValueField],
  templateUrl: './kept-page.html',
  styleUrl: './kept-page.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class KeptPage {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly nameOf = nodeNames();
  protected readonly counted = counted;
  protected readonly room = room;
  protected readonly columns = COLUMNS;
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');

  protected readonly fetched = resource({
    params: () => (this.maker() ? true : undefined),
    loader: () => this.api.call(upkeep.kept, {}),
  });
  protected readonly kept = computed(() => (this.fetched.hasValue() ? this.fetched.value() : null));
  protected readonly failed = computed(() => (this.fetched.error() ? messageOf(this.fetched.error()) : null));
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  protected readonly working = signal(false);

  /** The rule as it is typed, before it is kept. */
  protected readonly months = linkedSignal<Kept | null, number | null>({
    source: this.kept,
    // What is fetched anew, as after a refusal, does not take away what was typed.
    computation: (now, before) => {
      if (before?.source && before.value !== before.source.months) return before.value;
      return now === null ? (before?.value ?? null) : now.months;
    },
  });
  protected readonly asking = linkedSignal(() => (this.months(), this.kept(), false));
  protected readonly changed = computed(() => this.kept() !== null && this.months() !== this.kept()?.months);
  protected readonly goes = computed(() => {
    const stored = this.kept()?.stored ?? [];
    const names = new Set(
      monthsThatGo(
        stored.map(({ month }) => month),
        this.months(),
        Date.now(),
      ),
    );
    return stored.filter(({ month }) => names.has(month));
  });
  protected readonly rows = computed((): readonly PlainRow[] => {
    const goes = new Set(this.goes());
    return [...(this.kept()?.stored ?? [])].reverse().map((one) => ({
      month: monthWords(one.month),
      // Told by what is rolled up: a month that has just begun has nothing yet.
      days: one.days === 0 ? '–' : String(one.days),
      points: one.points === 0 ? '–' : String(one.points),
      room: room(one.bytes),
      becomes: goes.has(one) ? 'goes' : 'stays',
    }));
  });
  protected readonly whole = computed(() => (this.kept()?.stored ?? []).reduce((sum, { bytes }) => sum + bytes, 0));
  /** What the rule as it is typed takes away, in one sentence. */
  protected readonly consequence = computed(() => {
    const goes = this.goes();
    const [first, last] = [goes[0], goes.at(-1)];
    if (!first || !last) return 'No month is old enough to go by this rule now.';
    const span = first === last ? monthWords(first.month) : `${monthWords(first.month)} to ${monthWords(last.month)}`;
    const days = goes.reduce((sum, one) => sum + one.days, 0);
    const points = Math.max(...goes.map((one) => one.points));
    return `${counted(goes.length, 'month')} ${goes.length === 1 ? 'goes' : 'go'}: ${span}, ${counted(days, 'day')} of up to ${counted(points, 'point')}, ${room(goes.reduce((sum, { bytes }) => sum + bytes, 0))}.`;
  });

  protected when(ms: number): string {
    return wholeDate(ms, this.zone());
  }

  protected keep(): Promise<void> {
    if (this.goes().length > 0 && !this.asking()) {
      this.asking.set(true);
      return Promise.resolve();
    }
    return this.trying(async () => {
      const body = { from: this.kept()?.version ?? 0, months: this.months(), drops: this.goes().map(({ month }) => month) };
      this.show(await this.api.call(upkeep.keep, { body }));
      return body.drops.length > 0 ? 'Kept. The months that go are taken away within the hour.' : 'Kept.';
    });
  }
  protected allCounts(node: string): Promise<void> {
    return this.trying(async () => {
      this.show(await this.api.call(upkeep.goLive, { body: { nodes: [node], since: null } }));
      return `All that ${this.nameOf(node)} sent counts again.`;
    });
  }
  /** The node whose trials are asked about before they are deleted. */
  protected readonly askingOf = signal<string | null>(null);
  protected removeTrials(node: string): Promise<void> {
    return this.trying(async () => {
      const { removed } = await this.api.call(upkeep.removeTrials, { params: { id: node } });
      this.fetched.reload();
      return `${counted(removed, 'reading')} of ${this.nameOf(node)} deleted.`;
    });
  }

  private show(kept: Kept): void {
    this.fetched.set(kept);
  }
  private async trying(act: () => Promise<string>): Promise<void> {
    if (this.working()) return;
    this.working.set(true);
    try {
      this.said.set({ text: await act(), bad: false });
    } catch (error) {
      this.said.set({ text: messageOf(error), bad: true });
      // Somebody else was quicker, or another month has come to its end: shown anew, and what was typed stays to be sent again.
      if (error instanceof ApiError && error.status === 409) {
        const typed = this.months();
        this.fetched.reload();
        this.months.set(typed);
      }
    } finally {
      this.working.set(false);
      this.asking.set(false);
      this.askingOf.set(null);
    }
  }
}
