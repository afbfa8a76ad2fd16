import { tripTests, type Point, type Provable, type Threshold, type TripTest } from '@dewpost/contract';
import { severityRank, switchedBy } from '@dewpost/core/alarm';
import { counted } from '@dewpost/core/quantity';
import { percentile } from '@dewpost/core/statistics';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  type ElementRef,
  inject,
  resource,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatTableModule } from '@angular/material/table';
import { Store } from '@ngrx/store';
import { TriangleAlert } from 'lucide';
import { Api, messageOf } from '../../data/api';
import { nodeNames } from '../../data/node-names';
import { allPoints, allThresholds, placeFeature, tripTestFeature } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import { Clock } from '../../parts/clock';
import { Icon } from '../../parts/icon';
import { SeverityGlyph } from '../../parts/severity-glyph';
import { dayAndTime } from '../../parts/times';
import { ruleTitle } from '../rule/rule-words';
import { RespondPages } from '../sub-pages';
import { LegFork } from './leg-fork';
import { LegStaff } from './leg-staff';
import { forcedWords, howForced, LEG_WORDS, phaseWords, proofWords, seconds } from './trip-words';

/** A rule as the list has it. */
export interface ProofRow {
  readonly rule: Threshold;
  readonly point: Point;
  readonly provable: Provable;
  readonly title: string;
  readonly proof: { readonly text: string; readonly due: boolean };
}

/** Each rule with its proof: run on the real node, each leg timed against its limit, everything put back. */
@Component({
  selector: 'dp-trip-page',
  imports: [Icon, LegFork, LegStaff, MatButton, MatCheckbox, MatTableModule, RespondPages, SeverityGlyph],
  templateUrl: './trip-page.html',
  styleUrl: './trip-page.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TripPage {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly clock = inject(Clock);
  protected readonly nameOf = nodeNames();
  protected readonly caution = TriangleAlert;
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly place = this.store.selectSignal(placeFeature.selectPlaceState);
  private readonly thresholds = this.store.selectSignal(allThresholds.selectEntities);
  private readonly points = this.store.selectSignal(allPoints.selectEntities);
  private readonly told = this.store.selectSignal(tripTestFeature.selectNewest);
  protected readonly isMaker = computed(() => this.place().me?.role === 'maker');
  protected readonly read = resource({ loader: () => this.api.call(tripTests.list, {}) });
  private readonly list = computed(() => (this.read.hasValue() ? this.read.value() : null));
  protected readonly loaded = computed(() => this.list() !== null);
  protected readonly failed = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  /** The rule that is looked at. */
  protected readonly chosen = signal<number | null>(null);
  protected readonly clear = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly busy = signal(false);
  protected readonly running = computed(() => {
    const told = this.told();
    if (told && told.phase !== 'over') return told;
    const listed = this.list()?.running ?? null;
    return listed && listed.id === told?.id ? null : listed;
  });
  protected readonly rows = computed((): ProofRow[] => {
    const now = this.clock.now();
    return (this.list()?.rules ?? [])
      .flatMap((provable) => {
        const rule = this.thresholds()[provable.threshold];
        const point = rule && this.points()[rule.point];
        if (!rule || !point) return [];
        return [{ rule, point, provable, title: ruleTitle(rule, point), proof: proofWords(provable, now) }];
      })
      .sort(
        (a, b) =>
          Number(b.proof.due) - Number(a.proof.due) ||
          severityRank(b.rule.severity) - severityRank(a.rule.severity) ||
          a.title.localeCompare(b.title),
      );
  });
  protected readonly summary = computed(() => {
    const rows = this.rows();
    const due = rows.filter(({ proof }) => proof.due).length;
    return `${counted(rows.length, 'rule')}, ${due === 0 ? 'all proved' : `${due} to prove`}`;
  });
  /** Everything at the right is of this row. */
  protected readonly row = computed(() => {
    const chosen = this.chosen() ?? this.running()?.threshold ?? null;
    return this.rows().find(({ rule }) => rule.id === chosen) ?? this.rows()[0] ?? null;
  });
  /** The test that is shown: the running one of this row, or its last. */
  protected readonly test = computed((): TripTest | null => {
    const row = this.row();
    if (!row) return null;
    const told = this.told();
    if (this.running()?.threshold === row.rule.id) return this.running();
    return told?.threshold === row.rule.id ? told : row.provable.last;
  });
  protected readonly isRunning = computed(() => this.test() !== null && this.test()?.phase !== 'over');
  protected readonly legs = computed(() => {
    const test = this.test();
    const before = (this.list()?.before ?? []).filter(({ threshold, id }) => threshold === test?.threshold && id !== test.id);
    // A silence has no reading that brings it about.
    const reads = test?.legs.some(({ leg }) => leg === 'sensor');
    return (test?.legs ?? []).map((leg) => {
      const took = before.flatMap(({ legs }) => legs.find((other) => other.leg === leg.leg)?.ms ?? []);
      const [name, timed] = LEG_WORDS[leg.leg];
      const spans = leg.leg === 'rule' && !reads ? 'due to tripped' : timed;
      return { ...leg, name, spans, before: took, median: took.length > 0 ? seconds(percentile(took, 0.5)) : '' };
    });
  });
  private readonly detail = viewChild<ElementRef<HTMLElement>>('detail');
  protected readonly seconds = seconds;
  protected readonly columns = ['leg', 'staff', 'took', 'limit', 'median'];

  constructor() {
    // What came of a test changes what is due, and what hinders the next.
    effect(() => {
      if (this.told()?.phase === 'over') untracked(() => this.read.reload());
    });
  }

  protected choose({ rule }: ProofRow): void {
    // On a phone it stands beneath the list.
    this.detail()?.nativeElement.scrollIntoView({ block: 'start' });
    this.chosen.set(rule.id);
    this.clear.set(false);
    this.problem.set(null);
    // What hinders it may have changed since.
    this.read.reload();
  }
  protected forced({ rule, point, provable }: ProofRow): string {
    const also = rule.also && this.points()[rule.also.point];
    return forcedWords(rule, point, provable, also ?? null);
  }
  protected moves({ rule }: ProofRow): string | null {
    if (!rule.consequences.includes('control')) return null;
    const labels = switchedBy(rule).flatMap(({ output }) => this.points()[output]?.label ?? []);
    const goes = labels.length > 1 ? 'go' : 'goes';
    return labels.length > 0
      ? `${labels.join(', then ')} ${goes} ${rule.act}${rule.act === 'on' ? ' and off again' : ' and stays off'}`
      : null;
  }
  protected phase(test: TripTest): string {
    return phaseWords(test, this.clock.now());
  }
  protected when(test: TripTest): string {
    return `${dayAndTime(test.begunAt, this.zone())}, by ${test.by}`;
  }
  /** What a sheet of paper has to say beside the legs: site, rule and its version, how it was forced, who. */
  protected proofWords(test: TripTest): string {
    return `${this.place().site?.name ?? ''}: ${test.title}, version ${test.version} of its rule, on ${test.node}; ${howForced(test)}${test.output === null ? '' : `; it switches ${test.output}`}. Run ${dayAndTime(test.begunAt, this.zone())} by ${test.by}${test.endedWhy ? `; ended: ${test.endedWhy}` : ''}. Signed:`;
  }
  protected print(): void {
    window.print();
  }
  protected async run({ rule }: ProofRow): Promise<void> {
    await this.act(() => this.api.call(tripTests.begin, { params: { id: rule.id }, body: { clear: true } }));
    this.clear.set(false);
  }
  protected stop(test: TripTest): Promise<void> {
    return this.act(() => this.api.call(tripTests.stop, { params: { id: test.id } }));
  }
  protected again(): void {
    this.read.reload();
  }
  private async act(work: () => Promise<unknown>): Promise<void> {
    this.problem.set(null);
    this.busy.set(true);
    try {
      await work();
    } catch (error) {
      this.problem.set(messageOf(error));
      this.read.reload();
    }
    this.busy.set(false);
  }
}
