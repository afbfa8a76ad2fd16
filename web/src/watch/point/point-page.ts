import { calibrate, computed as computedPoints, watch, type Point } from '@dewpost/contract';
import { limitsOf } from '@dewpost/core/alarm';
import { formulaNamed } from '@dewpost/core/derive';
import { counted, formatDuration, formatSpan } from '@dewpost/core/quantity';
import { figuresOf } from '@dewpost/core/series';
import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, resource, signal, viewChild } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatCheckbox } from '@angular/material/checkbox';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../../data/api';
import { nodeNames } from '../../data/node-names';
import { allLatest, allNodes, allPoints, placeFeature } from '../../data/reducers';
import { selectThresholdsByPoint, selectTimezone } from '../../data/selectors';
import { Clock } from '../../parts/clock';
import { PointPicker } from '../../parts/point-picker';
import { dayAndTime, wholeDate } from '../../parts/times';
import { WatchPages } from '../watch-pages';
import { RecordChart, type Overlay } from './record-chart';
import { JudgingPanel } from './judging-panel';
import { PointNotes } from './point-notes';
import { beyondLimits, bucketsOf, missingIn } from './record-figures';
import { because } from './why';
import { type FigureRow, spanRows, readingRows } from './figure-rows';

const HOUR_MS = 3_600_000;
const WEEK_MS = 168 * HOUR_MS;
const SPANS = [
  [1, '1 h'],
  [24, '24 h'],
  [168, '7 d'],
  [1440, '60 d'],
  [8760, '1 y'],
] as const;
/** How old what is drawn may grow before it is fetched again while it reaches to now. */
const FRESH_MS = 15_000;
const MOST_BESIDE = 3;
const LEVEL_WORDS = { minute: 'minutes', quarter: 'quarters of an hour', day: 'days' } as const;

/** One point over any time: its record, its figures, what happened at it, and why it shows what it shows. */
@Component({
  selector: 'dp-point-page',
  imports: [JudgingPanel, MatButton, MatButtonToggleModule, MatCheckbox, PointNotes, PointPicker, RecordChart, RouterLink, WatchPages],
  templateUrl: './point-page.html',
  styleUrl: './point-page.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PointPage {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly clock = inject(Clock);
  protected readonly nameOf = nodeNames();
  readonly node = input<string>();
  readonly point = input<string>();

  protected readonly zone = this.store.selectSignal(selectTimezone);
  protected readonly loaded = this.store.selectSignal(placeFeature.selectLoaded);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  private readonly points = this.store.selectSignal(allPoints.selectAll);
  private readonly nodes = this.store.selectSignal(allNodes.selectEntities);
  private readonly newest = this.store.selectSignal(allLatest.selectEntities);
  private readonly thresholds = this.store.selectSignal(selectThresholdsByPoint);
  protected readonly spans = SPANS;
  protected readonly counted = counted;
  private readonly chart = viewChild(RecordChart);

  protected readonly recorded = this.points;
  protected readonly chosen = computed(
    () => this.recorded().find(({ node, name }) => node === this.node() && name === this.point()) ?? null,
  );
  private readonly chosenId = computed(() => this.chosen()?.id);
  protected readonly hours = signal<number>(24);
  /** A span that was dragged or zoomed to; `null`: it reaches to now. */
  protected readonly held = linkedSignal<{ from: number; to: number } | null>(() => (this.chosenId(), null));
  /** Now, in steps: what reaches to now is fetched again as it grows old. */
  private readonly now = computed(() => Math.floor(this.clock.now() / FRESH_MS) * FRESH_MS + FRESH_MS);
  protected readonly span = computed(() => this.held() ?? { from: this.now() - this.hours() * HOUR_MS, to: this.now() });
  protected readonly beside = linkedSignal<readonly number[]>(() => (this.chosenId(), []));
  protected readonly earlier = signal<'none' | 'week' | 'year'>('none');
  /** Show what came before its node went live as well? */
  protected readonly trials = linkedSignal<boolean>(() => (this.chosenId(), false));
  protected readonly liveSince = computed(() => this.nodes()[this.node() ?? '']?.liveSince ?? null);

  private readonly asked = computed(() => {
    const point = this.chosen();
    return point ? { node: point.node, point: point.name, id: point.id, trials: this.trials(), ...this.span() } : undefined;
  });
  private readonly fetched = resource({
    params: () => this.asked(),
    loader: ({ params: { node, point, from, to, trials } }) => this.fetch(node, point, from, to, trials),
  });
  /** What was fetched last stays drawn while the next is on its way, unless it is of another point. */
  protected readonly record = linkedSignal<ReturnType<typeof this.fetchedNow>, ReturnType<typeof this.fetchedNow>>({
    source: () => this.fetchedNow(),
    computation: (next, before) => next ?? (before?.value?.point.id === this.chosenId() ? (before?.value ?? null) : null),
  });
  protected readonly failed = computed(() => (this.fetched.error() ? messageOf(this.fetched.error()) : null));
  private readonly laidOver = resource({
    params: () => {
      const point = this.chosen();
      return point ? { point, beside: this.beside(), earlier: this.earlier(), ...this.span() } : undefined;
    },
    loader: ({ params: { point, beside, earlier, from, to } }) => this.overlaysFor(point, beside, earlier, from, to),
  });
  protected readonly overlays = computed((): readonly Overlay[] => (this.laidOver.hasValue() ? this.laidOver.value() : []));
  private readonly versions = resource({
    params: () => {
      const point = this.chosen();
      return point?.kind === 'measured' ? { node: point.node, point: point.name, uncalibrated: point.uncalibrated } : undefined;
    },
    loader: ({ params: { node, point } }) => this.api.call(calibrate.list, { params: { node, point } }),
  });
  protected readonly calibrations = computed(() => (this.versions.hasValue() ? this.versions.value() : []));
  protected readonly limits = computed(() => {
    const point = this.chosen();
    return point && !point.uncalibrated ? (this.thresholds().get(point.id) ?? []).flatMap((rule) => limitsOf(rule)) : [];
  });

  protected readonly figures = computed(() => {
    const record = this.record();
    return record ? figuresOf(bucketsOf(record)) : null;
  });
  protected readonly beyond = computed(() => {
    const record = this.record();
    return record ? beyondLimits(record, this.limits()).filter(({ ms }) => ms > 0) : [];
  });
  protected readonly missing = computed(() => {
    const record = this.record();
    return record && record.point.confirm !== 'hold' ? missingIn(record, this.now()).missing : null;
  });
  /** What came and what should have. */
  protected readonly due = computed(() => {
    const [figures, missing] = [this.figures(), this.missing()];
    return figures && missing !== null ? figures.count + figures.bad + missing : null;
  });
  protected readonly spanRows = computed((): readonly FigureRow[] => {
    const [all, point] = [this.figures(), this.record()?.point];
    return all && point ? spanRows(all, point, this.beyond(), this.zone()) : [];
  });
  protected readonly readingRows = computed((): readonly FigureRow[] => {
    const all = this.figures();
    return all ? readingRows(all, this.due(), this.missing()) : [];
  });
  private readonly latest = computed(() => this.newest()[this.chosenId() ?? -1] ?? null);
  private readonly rawNow = resource({
    params: () => {
      const [point, latest] = [this.chosen(), this.latest()];
      return point?.kind === 'measured' && latest ? { node: point.node, point: point.name, at: latest.at } : undefined;
    },
    loader: async ({ params: { node, point, at } }) => {
      const query = { from: String(at), to: String(at), level: 'raw' as const, max: 2 };
      const { raw } = await this.api.call(watch.history, { params: { node, point }, query });
      return { at, raw: raw?.at(-1)?.[0] ?? null };
    },
  });
  /** Is it made from others by somebody? */
  protected readonly isComputed = computed(() => this.nodes()[this.node() ?? '']?.kind === 'computed');
  private readonly rules = resource({
    params: () => (this.isComputed() ? this.chosenId() : undefined),
    loader: () => this.api.call(computedPoints.list, {}),
  });
  private readonly made = computed(() => {
    const rule = this.rules.hasValue() ? this.rules.value().find(({ id }) => id === this.chosenId()) : undefined;
    if (!rule) return null;
    const formula = formulaNamed(rule.formula);
    const from = rule.inputs.map(({ node, point }) => {
      const found = this.points().find((one) => one.node === node && one.name === point);
      return found ? this.titleOf(found) : `${node}/${point}`;
    });
    return { formula: formula?.title ?? rule.formula, from: from.join(' and '), source: formula?.source ?? 'not known here' };
  });
  protected readonly why = computed(() => {
    const [point, latest] = [this.chosen(), this.latest()];
    if (!point || !latest) return null;
    const raw = this.rawNow.hasValue() && this.rawNow.value().at === latest.at ? this.rawNow.value().raw : null;
    const siblings = this.points().filter(({ node }) => node === point.node);
    const label = (name: string): string => siblings.find((one) => one.name === name)?.label.toLowerCase() ?? name;
    return { at: latest.at, lines: because(point, latest, raw, this.calibrations(), label, this.made()) };
  });
  protected readonly level = computed(() => {
    const record = this.record();
    if (!record) return '';
    const of = record.level === null ? 'readings' : LEVEL_WORDS[record.level];
    return `lowest, mean, highest of each ${formatSpan(Math.round(record.width / 1000))}, from ${of}`;
  });
  protected readonly csv = computed(() => {
    const [point, { from, to }] = [this.chosen(), this.span()];
    return point
      ? `${calibrate.exportCsv.path}?${new URLSearchParams({ points: `${point.node}/${point.name}`, from: String(from), to: String(to) }).toString()}`
      : '';
  });

  /** What outputs are called that rules here switch. */
  protected readonly outputs = computed(
    () => new Map((this.record()?.switched ?? []).map(({ output }) => [output, this.besideTitle(output)])),
  );
  /** A note is of now, or of the middle of what is looked at. */
  protected readonly noteAt = computed(() => {
    const span = this.held();
    return span ? Math.round((span.from + span.to) / 2) : Math.min(this.now(), this.clock.now());
  });
  protected again(): void {
    this.fetched.reload();
  }

  private fetchedNow() {
    return this.fetched.hasValue() ? this.fetched.value() : null;
  }
  private fetch(node: string, point: string, from: number, to: number, trials = false) {
    const query = { from: String(from), to: String(to), most: 750, ...(trials && { trials: 'yes' as const }) };
    return this.api.call(watch.record, { params: { node, point }, query });
  }
  private overlaysFor(point: Point, beside: readonly number[], earlier: string, from: number, to: number): Promise<Overlay[]> {
    const others = beside.flatMap((id) => this.recorded().find((one) => one.id === id) ?? []);
    const shift = earlier === 'week' ? WEEK_MS : earlier === 'year' ? 52 * WEEK_MS : 0;
    return Promise.all([
      ...(shift > 0
        ? [
            this.fetch(point.node, point.name, from - shift, to - shift).then(({ stretches }) => ({
              ...{ label: earlier === 'week' ? 'a week before' : '52 weeks before', unit: point.unit, stretches, shift },
            })),
          ]
        : []),
      ...others.map((other) =>
        this.fetch(other.node, other.name, from, to).then(({ stretches }) => ({
          label: this.titleOf(other),
          unit: other.unit,
          stretches,
          shift: 0,
        })),
      ),
    ]);
  }

  protected titleOf(point: Point): string {
    return `${point.label}, ${this.nameOf(point.node)}`;
  }
  protected besideTitle(id: number): string {
    const point = this.recorded().find((one) => one.id === id);
    return point ? this.titleOf(point) : '';
  }
  protected under(point: Point): string {
    const node = this.nodes()[point.node];
    if (node?.kind === 'computed') return `computed, ${node.room}`;
    return [
      this.nameOf(point.node),
      node?.room,
      node && point.confirm !== 'hold' ? `every ${formatSpan(node.reportSeconds)}` : 'as it changes',
    ]
      .filter(Boolean)
      .join(', ');
  }
  protected whole(ms: number): string {
    return wholeDate(ms, this.zone());
  }
  protected when(ms: number): string {
    return dayAndTime(ms, this.zone());
  }
  protected long(ms: number): string {
    return formatDuration(ms);
  }
  protected open(id: number): void {
    const point = this.recorded().find((one) => one.id === id);
    if (point) void this.router.navigate(['/watch/points', point.node, point.name]);
  }
  protected addBeside(id: number): void {
    if (id !== this.chosenId()) this.beside.update((all) => (all.includes(id) ? all : [...all, id].slice(-MOST_BESIDE)));
  }
  protected dropBeside(id: number): void {
    this.beside.update((all) => all.filter((one) => one !== id));
  }
  protected setHours(hours: number): void {
    this.hours.set(hours);
    this.held.set(null);
  }
  /** Steps through time by half of what is shown: for keys as for the mouse. Never past now. */
  protected step(direction: -1 | 1): void {
    const { from, to } = this.span();
    const half = ((to - from) / 2) * direction;
    const shift = Math.min(half, this.now() - to);
    this.held.set(direction === 1 && to + half >= this.now() ? null : { from: from + shift, to: to + shift });
  }
  protected rangeTo({ from, to }: { from: number; to: number }): void {
    if (to - from >= 60_000) this.held.set({ from, to });
  }
  protected picture(): void {
    void this.chart()?.save(`${this.node()}-${this.point()}`);
  }
}
