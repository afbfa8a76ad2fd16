import type { Point, Severity } from '@dewpost/contract';
import { counted, formatDuration } from '@dewpost/core/quantity';
import {
  clearLevelOf,
  limitsOf,
  madeUp,
  madeOfKnots,
  usualGapMs,
  type Knot,
  type RehearsalFigures,
  type Shape,
  type ThresholdRule,
} from '@dewpost/core/alarm';
import type { OutputOverRecord, RehearsedOutput } from '@dewpost/core/control';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, output, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../../data/api';
import { selectTimezone } from '../../data/selectors';
import { PlainTable, type PlainRow } from '../../parts/plain-table';
import { TypedNumberField } from '../../parts/typed-number-field';
import { dayAndTime } from '../../parts/times';
import { Trace, type TraceScale, type TraceSource } from '../../parts/trace';
import type { TraceBand } from '../../parts/trace-shapes';
import { LimitHandle } from './limit-handle';
import type { JudgedKind } from '../rule/judged-draft';
import { usualRows } from '../rule/usual';
import { loadRecord, type LoadedRecord } from './load-record';
import { DrawnCourse } from './drawn-course';
import { RecordLanes } from './record-lanes';
import { COLUMNS, COLUMNS_WITH_OUTPUT, outputCells, rowOf, thinned } from './record-rows';
import { RecordSpanChoice, timesOf, type RecordSpan } from './record-span';
import { Rehearser } from './rehearser';
import type { RehearsalAnswer } from './rehearsal-jobs';
import { suggestionsIn, type Suggestion } from './suggestions';

const HOUR_MS = 3_600_000;
const MOST_VARIANTS = 3;
interface Variant {
  readonly words: string;
  readonly rule: ThresholdRule;
}
/** Courses that are no point’s. */
const USUAL = { high: -1, low: -2 } as const;
/** How long what is made up goes on, and how often it is read. */
const [MADE_UP_MS, MADE_UP_EVERY_MS] = [8 * HOUR_MS, 30_000];
const MADE_UP: readonly { readonly shape: Shape | 'drawn'; readonly words: string }[] = [
  { shape: 'step', words: 'a step' },
  { shape: 'ramp', words: 'a ramp' },
  { shape: 'spike', words: 'a spike' },
  { shape: 'noise', words: 'noise' },
  { shape: 'silence', words: 'a silence' },
  { shape: 'drawn', words: 'what I draw' },
];

/** A rule that is being drawn, over what its point recorded: where it would have tripped, against the rule in force, and what the record suggests. */
@Component({
  selector: 'dp-record-panel',
  imports: [
    DrawnCourse,
    LimitHandle,
    MatButton,
    MatFormFieldModule,
    MatSelectModule,
    TypedNumberField,
    PlainTable,
    RecordLanes,
    RecordSpanChoice,
    Trace,
  ],
  providers: [Rehearser],
  templateUrl: './record-panel.html',
  styleUrl: './record-panel.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RecordPanel {
  readonly point = input.required<Point>();
  readonly side = input.required<'high' | 'low'>();
  readonly severity = input.required<Severity>();
  readonly draft = input<ThresholdRule | null>(null);
  readonly inForce = input<ThresholdRule | null>(null);
  /** What of the point is judged: only a value, or a band of it, is drawn as lines. */
  readonly judged = input<JudgedKind>('value');
  readonly others = input<{ readonly beside: Point | null; readonly also: Point | null }>({ beside: null, also: null });
  /** What it reads now: where what is made up begins. */
  readonly base = input<number | null>(null);
  /** What the rule that is drawn switches on, and the one in force; `null`: nothing. */
  readonly output = input<RehearsedOutput | null>(null);
  readonly outputInForce = input<RehearsedOutput | null>(null);
  readonly use = output<Suggestion>();

  private readonly api = inject(Api);
  private readonly rehearser = inject(Rehearser);
  protected readonly zone = inject(Store).selectSignal(selectTimezone);
  protected readonly span = signal<RecordSpan>({ hours: 336 });
  protected readonly answer = signal<RehearsalAnswer | null>(null);

  /** A course that somebody has made up, to this value; `null`: its own record. */
  protected readonly shape = linkedSignal<number, Shape | 'drawn' | null>({ source: () => this.point().id, computation: () => null });
  protected readonly to = signal<number | null>(null);
  protected readonly knots = linkedSignal<number, readonly Knot[]>({ source: () => this.point().id, computation: () => [] });
  protected readonly madeUpMs = MADE_UP_MS;
  protected readonly shapes = MADE_UP;
  protected readonly made = computed(() => {
    const [shape, to, knots] = [this.shape(), this.to(), this.knots()];
    if (shape === 'drawn') return knots.length === 0 ? null : { shape, knots };
    return shape === null || to === null ? null : { shape, to };
  });

  /** Rules that were drawn before over this point and are kept beside this one, the oldest first. */
  protected readonly variants = linkedSignal<number, readonly Variant[]>({ source: () => this.point().id, computation: () => [] });
  protected readonly mostVariants = MOST_VARIANTS;

  private readonly asked = computed(() => ({ point: this.point(), span: this.span(), made: this.made(), ...this.others() }), {
    equal: (a, b) =>
      a.point.id === b.point.id && a.span === b.span && a.made === b.made && a.beside?.id === b.beside?.id && a.also?.id === b.also?.id,
  });
  protected readonly record = resource({
    params: () => this.asked(),
    loader: async ({ params: { point, span, made, beside, also } }) => {
      const { from: begin, until } = timesOf(span, Date.now());
      const load = (of: Point): Promise<LoadedRecord> => loadRecord(this.api, of, begin, until);
      const own = made ? Promise.resolve(this.madeUpOf(made, until)) : load(point);
      const [record, ...others] = await Promise.all([own, beside && load(beside), also && load(also)]);
      const { samples, from } = record;
      const [ofBeside, ofAlso] = others.map((other) => other?.samples ?? null);
      await this.rehearser.load({
        ...{ samples, from, until: record.until, decimals: point.decimals, usualGapMs: usualGapMs(samples) },
        others: { beside: ofBeside ?? null, also: ofAlso ?? null },
      });
      return record;
    },
  });
  protected readonly loaded = computed(() => (this.record.hasValue() ? this.record.value() : null));
  protected readonly counted = counted;
  /** A record that is younger than the span is drawn over its own hours. */
  protected readonly drawn = computed(() => {
    const record = this.loaded();
    return record ? Math.max(0.25, (record.until - record.from) / HOUR_MS) : 24;
  });
  private readonly lengthMs = computed(() => (this.loaded()?.until ?? 0) - (this.loaded()?.from ?? 0));
  protected readonly long = computed(() => formatDuration(this.lengthMs()));
  protected readonly failed = computed(() => {
    const error = this.record.error();
    return error ? messageOf(error) : null;
  });
  /** Its own course, and either end of what is usual where that is judged. */
  protected readonly series = computed(() => {
    const { id, label, unit } = this.point();
    const own = { id, label, unit };
    return this.habit()
      ? [own, { id: USUAL.high, label: 'usual, at most', unit }, { id: USUAL.low, label: 'usual, at least', unit }]
      : [own];
  });
  private readonly habit = computed(() => this.draft()?.habit ?? null, { equal: (a, b) => a === b });
  protected readonly bands = computed((): TraceBand[] => {
    const draft = this.draft();
    if (!draft) return [];
    const { unit } = this.point();
    return limitsOf({ ...draft, clearLevel: clearOf(draft) }).map(({ side, setpoint, clearLevel }) => ({
      ...{ unit, side, setpoint, severity: this.severity() },
      ...(draft.deadband > 0 && { clearLevel }),
    }));
  });
  protected readonly clearOf = clearOf;
  protected readonly scale = signal<TraceScale | null>(null);
  /** While a line is dragged the scale stands still. */
  protected readonly standing = signal<readonly [number, number] | null>(null);
  protected readonly marks = computed(() => (this.answer()?.excursions ?? []).map(({ from }) => from));
  protected readonly source = computed((): TraceSource => {
    const [record, habit] = [this.loaded(), this.habit()];
    const rows = [...(record?.rows ?? [])];
    const usual = (end: 'low' | 'high') => (habit && record ? usualRows(habit, end, record.from, record.until) : []);
    const history = (id: number) => Promise.resolve(id === USUAL.high ? usual('high') : id === USUAL.low ? usual('low') : thinned(rows));
    return { history, listen: () => () => undefined };
  });
  protected readonly columns = computed(() => (this.output() || this.outputInForce() ? COLUMNS_WITH_OUTPUT : COLUMNS));
  protected readonly figures = computed((): PlainRow[] => {
    const answer = this.answer();
    if (!answer?.draft) return [];
    const { outputs } = answer;
    const row = (words: string, figures: RehearsalFigures, did: OutputOverRecord | null): PlainRow => ({
      ...rowOf(words, figures),
      ...outputCells(did, this.lengthMs()),
    });
    const kept = this.variants().flatMap(({ words }, i) => {
      const figures = answer.variants[i];
      return figures ? [row(words, figures, outputs.variants[i] ?? null)] : [];
    });
    return [
      row('as drawn', answer.draft, outputs.draft),
      ...(answer.inForce ? [row('in force', answer.inForce, outputs.inForce)] : []),
      ...kept,
    ];
  });
  protected readonly last = computed(() => {
    const excursion = this.answer()?.excursions.at(-1);
    if (!excursion) return null;
    const length = excursion.to === null ? 'and had not cleared' : `for ${formatDuration(excursion.to - excursion.from)}`;
    return `Last on ${dayAndTime(excursion.from, this.zone())}, ${length}.`;
  });
  protected readonly suggestions = computed(() => {
    const answer = this.answer();
    return answer ? suggestionsIn(answer, this.point(), this.side(), this.draft() !== null) : [];
  });

  constructor() {
    effect(() => {
      const record = this.loaded();
      const variants = this.variants().map(({ rule }) => rule);
      const by = { output: this.output(), outputInForce: this.outputInForce() };
      const job = { side: this.side(), draft: this.draft(), inForce: this.inForce(), variants, ...by };
      if (!record || record.samples.length === 0) {
        this.answer.set(null);
        return;
      }
      void this.rehearser.ask(job).then((answer) => {
        if (answer) this.answer.set(answer);
      });
    });
  }

  protected hold(on: boolean): void {
    const scale = this.scale();
    this.standing.set(on && scale ? [scale.low, scale.high] : null);
  }
  protected moveClear(clear: number): void {
    const draft = this.draft();
    if (!draft) return;
    // It clears on its own side of the setpoint: dragged across it, there is no deadband.
    const deadband = Math.max(0, draft.side === 'high' ? draft.setpoint - clear : clear - draft.setpoint);
    this.use.emit({ field: 'deadband', value: Number(deadband.toFixed(this.point().decimals)) });
  }

  /** Draws begin level, from where the point is now. */
  protected choose(shape: Shape | 'drawn' | null): void {
    this.shape.set(shape);
    if (shape !== 'drawn' || this.knots().length > 0) return;
    const { min, max } = this.point();
    const base = this.base() ?? (min + max) / 2;
    this.knots.set([0, 0.25, 0.5, 0.75, 1].map((share) => ({ after: share * MADE_UP_MS, value: base })));
  }

  protected keepBeside(): void {
    const rule = this.draft();
    if (!rule) return;
    const { setpoint, side, deadband, onDelayMs, offDelayMs } = rule;
    const words = `${side === 'high' ? '≥' : '≤'} ${setpoint}, ${deadband}, ${onDelayMs / 1000} and ${offDelayMs / 1000} s`;
    this.variants.set([...this.variants(), { words, rule }]);
  }

  private madeUpOf(made: NonNullable<ReturnType<typeof this.made>>, until: number): LoadedRecord {
    const span = { from: until - MADE_UP_MS, until, everyMs: MADE_UP_EVERY_MS };
    const { from } = span;
    const samples =
      made.shape === 'drawn'
        ? madeOfKnots(made.knots, span)
        : madeUp({ shape: made.shape, base: this.base() ?? made.to, to: made.to, ...span });
    return { samples, rows: samples.map(({ at, value }): [number, number, number] => [at, value, 0]), from, until };
  }

  protected again(): void {
    this.record.reload();
  }
}

const clearOf = ({ clearLevel, side, setpoint, deadband }: ThresholdRule): number => clearLevel ?? clearLevelOf(side, setpoint, deadband);
