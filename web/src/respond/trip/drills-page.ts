import { drills, type Drill, type DrillList } from '@dewpost/contract';
import { DRILL_WORDS, DRILLS, stepPassed, type DrillKind } from '@dewpost/core/proof';
import { ChangeDetectionStrategy, Component, computed, effect, inject, linkedSignal, resource, signal, untracked } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatTableModule } from '@angular/material/table';
import { Store } from '@ngrx/store';
import { Check, X } from 'lucide';
import { Api, messageOf } from '../../data/api';
import { placeFeature } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import { Clock } from '../../parts/clock';
import { Icon } from '../../parts/icon';
import { dayAndTime } from '../../parts/times';
import { RespondPages } from '../sub-pages';
import { LegStaff } from './leg-staff';
import { seconds } from './trip-words';

const LOOKS_EVERY_S = 10;
type Step = Drill['steps'][number];
interface DrillRow {
  readonly kind: DrillKind;
  readonly title: string;
  readonly follows: string;
  /** Under way, or the newest of before. */
  readonly drill: Drill | null;
  /** What came of it, in words. */
  readonly came: string;
}

/** Drills on the stand-ins: what should happen, within what time, and whether it did. */
@Component({
  selector: 'dp-drills-page',
  imports: [Icon, LegStaff, MatButton, MatTableModule, RespondPages],
  templateUrl: './drills-page.html',
  styleUrls: ['./trip-page.scss', './drills-page.scss'],
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class DrillsPage {
  private readonly api = inject(Api);
  private readonly clock = inject(Clock);
  private readonly store = inject(Store);
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly place = this.store.selectSignal(placeFeature.selectPlaceState);
  protected readonly isMaker = computed(() => this.place().me?.role === 'maker');
  protected readonly check = Check;
  protected readonly cross = X;
  protected readonly seconds = seconds;
  protected readonly read = resource({ loader: () => this.api.call(drills.list, {}) });
  /** What was read last stays while it is read again. */
  private readonly newest = linkedSignal<DrillList | null, DrillList | null>({
    source: () => (this.read.hasValue() ? this.read.value() : null),
    computation: (next, before) => next ?? before?.value ?? null,
  });
  protected readonly loaded = computed(() => this.newest() !== null);
  protected readonly hindered = computed(() => this.newest()?.hindered ?? null);
  protected readonly failed = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly running = computed(() => this.newest()?.running ?? null);
  protected readonly chosen = signal<DrillKind>('flood');
  protected readonly busy = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly columns = ['step', 'staff', 'took', 'limit'];

  protected readonly rows = computed(() =>
    DRILLS.map((kind): DrillRow => {
      const drill = this.running()?.kind === kind ? this.running() : (this.newest()?.before.find((one) => one.kind === kind) ?? null);
      return { kind, ...DRILL_WORDS[kind], drill, came: this.cameOf(drill) };
    }),
  );
  protected readonly row = computed(() => this.rows().find(({ kind }) => kind === this.chosen()) ?? null);
  protected readonly summary = computed(() => {
    const done = this.rows().flatMap(({ drill }) => (drill?.passed === undefined || drill.passed === null ? [] : [drill.passed]));
    const failed = done.filter((passed) => !passed).length;
    return `${DRILLS.length} drills, ${done.length} run, ${failed === 0 ? 'none failed' : `${failed} failed`}`;
  });

  constructor() {
    // While one runs it is looked at every second; now and then otherwise: somebody else may have begun one.
    effect(() => {
      const due = Math.floor(this.clock.now() / 1000) % LOOKS_EVERY_S === 0;
      untracked(() => {
        if ((due || this.running() !== null) && !this.read.isLoading()) this.read.reload();
      });
    });
  }

  protected verdict(step: Step, drill: Drill): boolean | null {
    return stepPassed(step, drill.endedAt !== null);
  }
  protected when(drill: Drill): string {
    return `${dayAndTime(drill.begunAt, this.zone())}, by ${drill.by}${drill.endedWhy === null ? '' : `: ${drill.endedWhy}`}`;
  }
  protected onPaper(row: DrillRow, drill: Drill): string {
    return `${this.place().site?.name ?? ''}: drill “${row.title}” on stand-ins (${row.follows}). Run ${this.when(drill)}. ${drill.passed ? 'Passed' : 'Failed'}. Signed:`;
  }
  protected print(): void {
    window.print();
  }
  protected again(): void {
    this.read.reload();
  }
  protected run({ kind }: DrillRow): Promise<void> {
    return this.act(() => this.api.call(drills.begin, { params: { kind } }));
  }
  protected stop({ id }: Drill): Promise<void> {
    return this.act(() => this.api.call(drills.stop, { params: { id } }));
  }

  private cameOf(drill: Drill | null): string {
    if (drill === null) return 'never run';
    if (drill.passed === null) return `under way: ${drill.steps.at(-1)?.what ?? 'it begins'}`;
    const when = dayAndTime(drill.begunAt, this.zone());
    return drill.passed ? `passed ${when}` : `failed ${when}`;
  }
  private async act(work: () => Promise<unknown>): Promise<void> {
    this.problem.set(null);
    this.busy.set(true);
    try {
      await work();
    } catch (error) {
      this.problem.set(messageOf(error));
    }
    this.read.reload();
    this.busy.set(false);
  }
}
