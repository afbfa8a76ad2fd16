import { calibrate, type Calibration, type Point, type Reference } from '@dewpost/contract';
import { calibrated, fitPoint, rawScale, recipesFor, type CalibrationMethod, type Capture, type Law } from '@dewpost/core/calibration';
import { FORMULAS } from '@dewpost/core/derive';
import { counted, formatNumber } from '@dewpost/core/quantity';
import { isOfSensor } from '@dewpost/core/wire';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  inject,
  input,
  linkedSignal,
  resource,
  signal,
  untracked,
} from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Api, ApiError, messageOf } from '../data/api';
import { nodeNames } from '../data/node-names';
import { allLatest, allNodes, allPoints, allThresholds, placeFeature } from '../data/reducers';
import { selectTimezone } from '../data/selectors';
import { conversionWords } from '../parts/conversion-words';
import { MomentField } from '../parts/moment-field';
import { PointPicker } from '../parts/point-picker';
import { typedNumber } from '../parts/typed-number';
import { ValueField } from '../parts/value-field';
import { beyondCaptures, changedRules, settlesWithin } from './after-fit';
import { CalibrationRecord } from './calibration-record';
import { CalibrateList } from './calibrate-list';
import { CalibratePages } from './calibrate-pages';
import { FitChart } from './fit-chart';
import { HoldLine } from './hold-line';
import { InstrumentChoice } from './instrument-choice';
import { BY_HAND, METHODS, onwardOf } from './methods';
import { rawWatch } from './raw-watch';
import { RecipeSteps } from './recipe-steps';

/** Before anything that is stored. */
const BEGINNING = Date.UTC(2000, 0, 1);
/** Calibrates a point: raw values are captured once they have settled, beside what a reference shows; the fit is seen before it is kept. */
@Component({
  selector: 'dp-calibrate',
  imports: [
    CalibrateList,
    CalibratePages,
    CalibrationRecord,
    FitChart,
    HoldLine,
    InstrumentChoice,
    MatButton,
    MatFormFieldModule,
    MatInput,
    MatSelectModule,
    MomentField,
    PointPicker,
    RecipeSteps,
    RouterLink,
    ValueField,
  ],
  templateUrl: './calibrate.html',
  styleUrl: './calibrate.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Calibrate {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly nameOf = nodeNames();
  private readonly points = this.store.selectSignal(allPoints.selectAll);
  private readonly nodes = this.store.selectSignal(allNodes.selectEntities);
  private readonly latest = this.store.selectSignal(allLatest.selectEntities);
  private readonly thresholds = this.store.selectSignal(allThresholds.selectAll);
  protected readonly zone = this.store.selectSignal(selectTimezone);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  /** Number of the point that was looked at elsewhere. */
  readonly of = input<string>();
  protected readonly methods = METHODS;
  protected readonly counted = counted;

  protected readonly measured = computed(() =>
    this.points().filter((point) => point.kind === 'measured' && isOfSensor(point) && this.nodes()[point.node]?.kind !== 'computed'),
  );
  private readonly inForce = resource({ loader: () => this.api.call(calibrate.inForce, {}) });
  protected readonly kept = computed(() => new Map((this.inForce.hasValue() ? this.inForce.value() : []).map((one) => [one.point, one])));
  protected readonly calibratedCount = computed(() => this.measured().filter(({ id }) => this.kept().has(id)).length);
  private readonly picked = linkedSignal<number | null>(() => (this.of() === undefined ? null : Number(this.of())));
  protected readonly point = computed(() => this.measured().find(({ id }) => id === this.picked()) ?? null);
  private readonly pointId = computed(() => this.point()?.id);
  /** Ways of several steps for what is measured here. */
  protected readonly recipes = computed(() => {
    const point = this.point();
    return point ? recipesFor({ unit: point.calibratesTo.unit, name: point.name, rawUnit: point.raw?.unit ?? null }) : [];
  });
  /** A method, or the id of a way that leads step by step. */
  // By which point it is, and whether anything converts it: one that is told anew (held, renamed) leaves what was chosen.
  private readonly isBare = computed(() => this.point()?.uncalibrated ?? false);
  protected readonly how = linkedSignal<string>(() => (this.pointId(), this.isBare() ? 'two-point' : 'offset'));
  protected readonly recipe = computed(() => this.recipes().find(({ id }) => id === this.how()) ?? null);
  protected readonly method = computed((): CalibrationMethod => {
    const how = this.how();
    return this.recipe()?.method ?? METHODS.find(({ value }) => value === how)?.value ?? 'offset';
  });
  protected readonly captures = signal<readonly Capture[]>([]);
  /** The law that a way follows, as far as it is said. */
  protected readonly law = signal<Law | null>(null);
  protected readonly reference = signal<number | null>(null);
  protected readonly note = signal('');
  /** From when on it is to be in force. */
  protected readonly since = linkedSignal<'now' | 'then' | 'ever'>(() => (this.pointId(), 'now'));
  protected readonly then = linkedSignal<number | null>(() => (this.pointId(), null));
  /** The instrument that the references are read from; `null`: nobody says. */
  protected readonly instrument = signal<Reference | null>(null);
  /** In how many months it is due again; a year is common practice. */
  protected readonly dueMonths = signal<number | null>(12);
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  protected readonly busy = signal(false);

  private readonly live = rawWatch(this.point, this.latest);
  protected readonly raws = this.live.raws;
  protected readonly settled = this.live.settled;
  protected readonly trace = this.live.trace;
  protected readonly fitted = computed(() => {
    const point = this.point();
    const law = this.recipe()?.law ? this.law() : null;
    // A law may be believed without a capture; everything else wants one.
    if (!point || (this.captures().length === 0 && !(this.recipe()?.trims && law))) return null;
    const { physicalMin, physicalMax } = point.judging;
    return fitPoint(
      { ...point.calibratesTo, raw: point.raw, physicalMin, physicalMax },
      this.inForceOfPoint(),
      this.latest()[point.id]?.at ?? 0,
      {
        method: this.method(),
        captures: this.captures(),
        law,
        reference: Math.max(this.recipe()?.reference ?? 0, this.instrument()?.uncertainty ?? 0),
      },
    );
  });
  /** What the way says of the result, beside the fit. */
  protected readonly remark = computed(() => {
    const fitted = this.fitted();
    return !fitted || typeof fitted === 'string' ? null : (this.recipe()?.remark?.(this.captures(), fitted) ?? null);
  });
  /** Its readings lie where nothing was captured: what is made of them there is a guess. */
  protected readonly beyond = computed(() => {
    return beyondCaptures(this.raws().at(-1), this.captures(), this.method(), (value) => this.rawFigure(value));
  });
  /** Rules on the chosen point, and on what is computed from it. */
  protected readonly rules = computed(() => {
    const point = this.point();
    if (!point) return 0;
    const from = this.points().filter(({ node, derived }) => node === point.node && derived?.from.includes(point.name));
    const ids = new Set([point.id, ...from.map(({ id }) => id)]);
    return this.thresholds().filter((rule) => ids.has(rule.point)).length;
  });
  /** Thresholds whose state the result would change, with the value that stands now. */
  protected readonly changes = computed(() => {
    const [point, fitted] = [this.point(), this.fitted()];
    const raw = this.raws().at(-1);
    if (!point || !fitted || typeof fitted === 'string' || raw === undefined) return [];
    const before = point.uncalibrated ? null : (this.latest()[point.id]?.value ?? raw);
    const own = this.thresholds().filter((rule) => rule.point === point.id);
    const outputName = (id: number): string => this.points().find((one) => one.id === id)?.label ?? 'an output';
    return changedRules(own, before, calibrated(fitted.coefficients, raw), (value) => this.figure(value), outputName);
  });
  protected readonly versions = resource({
    params: () => (this.pointId() === undefined ? undefined : { id: this.pointId(), kept: this.kept().size }),
    loader: () => {
      const point = this.point();
      return point ? this.api.call(calibrate.list, { params: { node: point.node, point: point.name } }) : Promise.resolve([]);
    },
  });
  /** What converts it now, for a fit that keeps its slope. */
  private readonly inForceOfPoint = computed(() => {
    const kept = this.kept().get(this.pointId() ?? -1);
    return kept ? [{ ...kept, ...kept.coefficients }] : [];
  });
  protected readonly convertsNow = computed(() => this.inForceOfPoint()[0] ?? null);
  protected readonly history = linkedSignal<{ of: number | undefined; read: readonly Calibration[] | null }, readonly Calibration[]>({
    source: () => ({ of: this.pointId(), read: this.versions.hasValue() ? this.versions.value() : null }),
    // What was read last stands while it is read again, unless it is of another point.
    computation: ({ of, read }, before) => read ?? (before?.source.of === of ? before?.value : undefined) ?? [],
  });

  constructor() {
    effect(() => {
      this.pointId();
      untracked(() => {
        this.captures.set([]);
        this.reference.set(null);
        this.instrument.set(null);
        this.live.forget();
      });
    });
  }

  protected pick(id: number): void {
    this.picked.set(id);
    this.said.set(null);
  }
  /** What is usually computed from what it measures. */
  protected readonly onward = computed(() => FORMULAS.filter(({ id }) => onwardOf(this.point()).includes(id)));
  protected byHand(point: Point): string | null {
    return BY_HAND.find(([name]) => name.test(point.name))?.[1] ?? null;
  }
  protected readonly criterion = settlesWithin;
  protected readonly number = typedNumber;
  protected readonly inWords = (value: number): string => this.figure(value);
  protected figure(value: number): string {
    const scale = this.point()?.calibratesTo;
    return `${formatNumber(value, (scale?.decimals ?? 1) + 1)} ${scale?.unit ?? ''}`.trim();
  }
  /** A value as the node sends it. */
  protected rawFigure(value: number): string {
    const point = this.point();
    const scale = point?.raw ? rawScale(point.raw) : point?.calibratesTo;
    // A count is a whole thing already.
    return `${formatNumber(value, (scale?.decimals ?? 1) + (point?.raw ? 0 : 1))} ${scale?.unit ?? ''}`.trim();
  }
  protected readonly words = ({ coefficients }: Pick<Calibration, 'coefficients'>): string => conversionWords(coefficients);
  protected take(how: string): void {
    const led = this.recipe();
    this.how.set(how);
    // Captures beside a reference stay what they are by any method; those of a way belong to its steps.
    if (led || this.recipe()) this.captures.set([]);
  }
  protected readonly isWords = (fit: ReturnType<typeof fitPoint>): fit is string => typeof fit === 'string';
  protected capture(): void {
    const [settled, reference] = [this.settled(), this.reference()];
    if (!settled || reference === null) return;
    const next = { raw: settled.mean, reference };
    this.captures.update((before) => (this.method() === 'two-point' ? [...before.slice(-1), next] : [...before, next]));
    this.reference.set(null);
  }
  protected drop(index: number): void {
    this.captures.update((before) => before.filter((_, i) => i !== index));
  }
  protected async keep(point: Point): Promise<void> {
    this.busy.set(true);
    const before = point.uncalibrated;
    try {
      const { version, coefficients, uncertainty } = await this.api.call(calibrate.add, {
        params: { node: point.node, point: point.name },
        body: {
          method: this.method(),
          captures: [...this.captures()],
          law: this.recipe()?.law ? this.law() : null,
          reference: this.recipe()?.reference ?? 0,
          instrument: this.instrument()?.id ?? null,
          recipe: this.recipe()?.id ?? null,
          note: this.note(),
          dueMonths: this.dueMonths(),
          ...this.from(),
          after: this.history()[0]?.version ?? 0,
        },
      });
      const inForce =
        before || this.since() === 'ever'
          ? 'All of its record is converted by it.'
          : `In force from ${this.since() === 'now' ? 'now' : 'then'} on.`;
      this.said.set({
        text: `Kept as version ${version}: ${this.words({ coefficients })}, ± ${this.figure(uncertainty)}. ${inForce}`,
        bad: false,
      });
      this.since.set('now');
      this.captures.set([]);
      this.note.set('');
    } catch (error) {
      const beaten = error instanceof ApiError && error.status === 409;
      this.said.set({ text: beaten ? `${messageOf(error)} Your captures stay here.` : messageOf(error), bad: true });
    }
    this.busy.set(false);
    this.changed();
  }
  /** Nothing where it is in force from now on. */
  private from(): { from?: number } {
    const [since, then] = [this.since(), this.then()];
    if (since === 'ever') return { from: BEGINNING };
    return since === 'then' && then !== null ? { from: then } : {};
  }
  protected changed(): void {
    this.inForce.reload();
    this.versions.reload();
  }
}
