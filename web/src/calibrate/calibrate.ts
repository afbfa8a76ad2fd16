import { calibrate, watch, type Calibration, type Point } from '@dewpost/contract';
import { violates } from '@dewpost/core/alarm';
import { calibrated, fitPoint, rawScale, settledValue, type CalibrationMethod, type Capture } from '@dewpost/core/calibration';
import { counted, formatNumber } from '@dewpost/core/quantity';
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
import { MatButtonToggle, MatButtonToggleGroup } from '@angular/material/button-toggle';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { Store } from '@ngrx/store';
import { Api, ApiError, messageOf } from '../data/api';
import { nodeNames } from '../data/node-names';
import { allLatest, allNodes, allPoints, allThresholds, placeFeature } from '../data/reducers';
import { selectTimezone } from '../data/selectors';
import { linePath } from '../parts/line-path';
import { PointPicker } from '../parts/point-picker';
import { dateOnly, dayAndTime } from '../parts/times';
import { typedNumber } from '../parts/typed-number';
import { ValueField } from '../parts/value-field';
import { CalibratePages } from './calibrate-pages';
import { FitChart } from './fit-chart';
import { BY_HAND, METHODS } from './methods';

/** How long rules are held at one press. */
const HOLD_MINUTES = 30;
/** What is due within that is shown beforehand. */
const DUE_SOON_MS = 30 * 86_400_000;
/** How many of the newest raw values are looked at for having settled. */
const LOOKED_AT = 5;
/** Calibrates a point: raw values are captured once they have settled, beside what a reference shows; the fit is seen before it is kept. */
@Component({
  selector: 'dp-calibrate',
  imports: [
    CalibratePages,
    FitChart,
    MatButton,
    MatButtonToggle,
    MatButtonToggleGroup,
    MatFormFieldModule,
    MatInput,
    PointPicker,
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
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly loaded = this.store.selectSignal(placeFeature.selectLoaded);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  /** Number of the point that was looked at elsewhere. */
  readonly of = input<string>();
  protected readonly methods = METHODS;
  protected readonly counted = counted;

  protected readonly measured = computed(() =>
    this.points().filter(({ kind, node }) => kind === 'measured' && this.nodes()[node]?.kind !== 'computed'),
  );
  private readonly inForce = resource({ loader: () => this.api.call(calibrate.inForce, {}) });
  protected readonly kept = computed(() => new Map((this.inForce.hasValue() ? this.inForce.value() : []).map((one) => [one.point, one])));
  protected readonly rows = computed(() =>
    this.measured()
      .filter((point) => this.kept().has(point.id))
      .map((point) => ({ point, calibration: this.kept().get(point.id) as Calibration })),
  );
  /** Told in what their nodes send, until somebody calibrates them. */
  protected readonly bare = computed(() =>
    this.measured().filter((point) => point.uncalibrated && this.nodes()[point.node]?.state === 'proved'),
  );
  /** What is due within a month, the most overdue first. */
  protected readonly due = computed(() => {
    const now = Date.now();
    return this.measured()
      .flatMap((point) => (point.calibrationDue === null ? [] : [{ point, at: point.calibrationDue, late: point.calibrationDue < now }]))
      .filter(({ at }) => at < now + DUE_SOON_MS)
      .sort((a, b) => a.at - b.at);
  });
  private readonly picked = linkedSignal<number | null>(() => (this.of() === undefined ? null : Number(this.of())));
  protected readonly point = computed(() => this.measured().find(({ id }) => id === this.picked()) ?? null);
  private readonly pointId = computed(() => this.point()?.id);
  protected readonly method = linkedSignal<CalibrationMethod>(() => (this.point()?.uncalibrated ? 'two-point' : 'offset'));
  protected readonly captures = signal<readonly Capture[]>([]);
  protected readonly reference = signal<number | null>(null);
  protected readonly note = signal('');
  /** In how many months it is due again; a year is common practice. */
  protected readonly dueMonths = signal<number | null>(12);
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  protected readonly busy = signal(false);

  /** Every reading of the last quarter of an hour, raw; again as each newer one comes. */
  private readonly heard = computed(() => {
    const point = this.point();
    return point ? { node: point.node, name: point.name, at: this.latest()[point.id]?.at ?? 0 } : undefined;
  });
  private readonly recent = resource({
    params: () => this.heard(),
    loader: ({ params: { node, name, at } }) => {
      const from = String(Math.max(0, at - 900_000));
      return this.api.call(watch.history, { params: { node, point: name }, query: { from, to: String(at + 1), level: 'raw', max: 500 } });
    },
  });
  private lastSeen: readonly number[] = [];
  protected readonly raws = computed(() => {
    if (this.recent.hasValue()) this.lastSeen = (this.recent.value().raw ?? []).map(([raw]) => raw);
    return this.lastSeen;
  });
  protected readonly settled = computed(() => {
    const point = this.point();
    return point ? settledValue(this.raws(), this.criterion(point), LOOKED_AT) : null;
  });
  protected readonly trace = computed(() => {
    const values = this.raws().slice(-60);
    const [low, high] = [Math.min(...values), Math.max(...values)];
    const y = (value: number): number => (high === low ? 30 : 55 - (50 * (value - low)) / (high - low));
    return linePath(values.map((value, i) => [(300 * i) / (values.length - 1), y(value)]));
  });
  protected readonly fitted = computed(() => {
    const point = this.point();
    if (!point || this.captures().length === 0) return null;
    return fitPoint({ ...point.calibratesTo, raw: point.raw }, this.inForceOfPoint(), this.latest()[point.id]?.at ?? 0, {
      method: this.method(),
      captures: this.captures(),
    });
  });
  /** Thresholds whose state the result would change, with the value that stands now. */
  /** Rules on the chosen point, and on what is computed from it. */
  protected readonly rules = computed(() => {
    const point = this.point();
    if (!point) return 0;
    const from = this.points().filter(({ node, derived }) => node === point.node && derived?.from.includes(point.name));
    const ids = new Set([point.id, ...from.map(({ id }) => id)]);
    return this.thresholds().filter((rule) => ids.has(rule.point)).length;
  });
  protected readonly changes = computed(() => {
    const [point, fitted] = [this.point(), this.fitted()];
    const raw = this.raws().at(-1);
    if (!point || !fitted || typeof fitted === 'string' || raw === undefined) return [];
    const before = point.uncalibrated ? null : (this.latest()[point.id]?.value ?? raw);
    const after = calibrated(fitted.coefficients, raw);
    return this.thresholds()
      .filter((rule) => rule.point === point.id && (before !== null && violates(rule, before)) !== violates(rule, after))
      .map(({ side, setpoint }) => `${side === 'high' ? 'at or above' : 'at or below'} ${this.figure(setpoint)}`);
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
  protected readonly history = computed(() => (this.versions.hasValue() ? this.versions.value() : []));

  constructor() {
    effect(() => {
      this.pointId();
      untracked(() => {
        this.captures.set([]);
        this.reference.set(null);
        this.lastSeen = [];
      });
    });
  }

  protected pick(id: number): void {
    this.picked.set(id);
    this.said.set(null);
  }
  /** A two hundredth of its usual range, and two of its last figures at least. Common practice. */
  protected criterion(point: Point): number {
    const { min, max, decimals } = point.raw ? rawScale(point.raw) : point.calibratesTo;
    return Math.max((max - min) / 200, 2 * 10 ** -decimals);
  }
  protected byHand(point: Point): string | null {
    return BY_HAND.find(([name]) => name.test(point.name))?.[1] ?? null;
  }
  protected readonly number = typedNumber;
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
  protected date(ms: number): string {
    return dateOnly(ms, this.zone());
  }
  protected when(ms: number): string {
    return dayAndTime(ms, this.zone());
  }
  protected words({ coefficients: { gain, offset } }: Pick<Calibration, 'coefficients'>): string {
    const shift = `${offset < 0 ? '− ' : '+ '}${Math.abs(Number(offset.toPrecision(4)))}`;
    return gain === 1 ? `raw ${shift}` : `raw × ${Number(gain.toPrecision(5))} ${shift}`;
  }
  protected isWords(fit: ReturnType<typeof fitPoint>): fit is string {
    return typeof fit === 'string';
  }
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
          note: this.note(),
          dueMonths: this.dueMonths(),
          after: this.history()[0]?.version ?? 0,
        },
      });
      this.said.set({
        text: `Kept as version ${version}: ${this.words({ coefficients })}, ± ${this.figure(uncertainty)}. ${before ? 'All of its record is converted by it.' : 'In force from now on.'}`,
        bad: false,
      });
      this.captures.set([]);
      this.note.set('');
    } catch (error) {
      const beaten = error instanceof ApiError && error.status === 409;
      this.said.set({ text: beaten ? `${messageOf(error)} Your captures stay here.` : messageOf(error), bad: true });
    }
    this.busy.set(false);
    this.inForce.reload();
    this.versions.reload();
  }
  /** While a sensor is out of its place, what it says is nobody's alarm. */
  protected async hold(point: Point, on: boolean): Promise<void> {
    const params = { node: point.node, point: point.name };
    try {
      if (on) await this.api.call(calibrate.hold, { params, body: { minutes: HOLD_MINUTES } });
      else await this.api.call(calibrate.letGo, { params });
    } catch (error) {
      this.said.set({ text: messageOf(error), bad: true });
    }
  }
  protected async withdraw(point: Point, version: number): Promise<void> {
    try {
      const { reconverted } = await this.api.call(calibrate.withdraw, { params: { node: point.node, point: point.name, version } });
      this.said.set({ text: `Version ${version} is withdrawn; ${counted(reconverted, 'reading')} converted anew.`, bad: false });
    } catch (error) {
      this.said.set({ text: messageOf(error), bad: true });
    }
    this.inForce.reload();
    this.versions.reload();
  }
}
