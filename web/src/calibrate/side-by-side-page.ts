import { calibrate, watch, type Point } from '@dewpost/contract';
import { sideBySide, type Beside, type Compared } from '@dewpost/core/calibration';
import { counted, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, linkedSignal, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../data/api';
import { nodeNames } from '../data/node-names';
import { allNodes, allPoints, placeFeature } from '../data/reducers';
import { PointPicker } from '../parts/point-picker';
import { CalibratePages } from './calibrate-pages';

const HOURS = [1, 3, 12, 24] as const;
/** Stretches that are compared: five minutes of an hour, and longer ones of a longer time. */
const stretchMs = (hours: number): number => Math.max(300_000, (hours * 3_600_000) / 48);
const MOST_READINGS = 20_000;
const MOST_POINTS = 12;

/** Several points in the same air or water for a while: which one is off, by how much, and what puts it right. */
@Component({
  selector: 'dp-side-by-side',
  imports: [CalibratePages, MatButton, MatButtonToggleModule, MatCheckbox, MatFormFieldModule, MatSelectModule, PointPicker],
  templateUrl: './side-by-side-page.html',
  styleUrl: './side-by-side-page.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SideBySidePage {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly nameOf = nodeNames();
  protected readonly counted = counted;
  protected readonly hourChoices = HOURS;
  private readonly points = this.store.selectSignal(allPoints.selectAll);
  private readonly nodes = this.store.selectSignal(allNodes.selectEntities);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');

  protected readonly chosen = signal<readonly number[]>([]);
  protected readonly hours = signal<number>(1);
  protected readonly reference = linkedSignal<number | 'median'>(() => (this.chosen(), 'median'));
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  protected readonly working = signal(false);
  /** Those whose correction is to be kept; the ones that are off, to begin with. */
  protected readonly ticked = linkedSignal<ReadonlySet<number>>(() => {
    const told = this.told();
    return new Set(
      told === null || typeof told === 'string' ? [] : told.points.filter(({ verdict }) => verdict !== 'agrees').map(({ id }) => id),
    );
  });

  private readonly unit = computed(() => this.points().find(({ id }) => id === this.chosen()[0])?.unit ?? null);
  /** What measures in the unit of the first that was chosen. */
  protected readonly offered = computed(() =>
    this.points().filter(
      ({ id, kind, unit, uncalibrated, node }) =>
        kind === 'measured' &&
        !uncalibrated &&
        this.nodes()[node]?.kind !== 'computed' &&
        !this.chosen().includes(id) &&
        (this.unit() === null || unit === this.unit()),
    ),
  );
  private readonly fetched = resource({
    params: () => (this.chosen().length >= 2 ? { chosen: this.chosen(), hours: this.hours() } : undefined),
    loader: ({ params: { chosen, hours } }) => this.fetch(chosen, hours),
  });
  protected readonly failed = computed(() => (this.fetched.error() ? messageOf(this.fetched.error()) : null));
  protected readonly waiting = computed(() => this.fetched.isLoading());
  protected readonly told = computed(() => {
    if (this.chosen().length < 2) return 'Choose two points at least: boards laid side by side, in the same place, for an hour or more.';
    if (!this.fetched.hasValue()) return null;
    return sideBySide(this.fetched.value(), { reference: this.reference(), width: stretchMs(this.hours()) });
  });
  protected readonly rows = computed(() => {
    const told = this.told();
    return told === null || typeof told === 'string' ? [] : told.points.map((one) => ({ one, point: this.pointOf(one.id) }));
  });
  /** The staffs share one scale, by the largest bias; wider intervals run out of it. */
  protected readonly scale = computed(() => Math.max(...this.rows().map(({ one }) => 1.5 * Math.abs(one.bias || 0)), 1e-9));

  private async fetch(chosen: readonly number[], hours: number): Promise<Beside[]> {
    const to = Date.now();
    const query = { from: String(to - hours * 3_600_000), to: String(to), level: 'raw' as const, max: MOST_READINGS };
    return Promise.all(
      chosen.map(async (id) => {
        const point = this.pointOf(id);
        if (!point) return { id, readings: [] };
        const { readings, raw = [] } = await this.api.call(watch.history, { params: { node: point.node, point: point.name }, query });
        const good = readings.flatMap(([at, value, quality], i) => (quality === 0 ? [{ at, value, raw: raw[i]?.[0] ?? value }] : []));
        return { id, readings: good };
      }),
    );
  }
  private pointOf(id: number): Point | undefined {
    return this.points().find((point) => point.id === id);
  }
  protected titleOf(id: number): string {
    const point = this.pointOf(id);
    return point ? `${point.label}, ${this.nameOf(point.node)}` : '';
  }
  protected add(id: number): void {
    this.said.set(null);
    this.chosen.update((before) => [...before, id].slice(-MOST_POINTS));
  }
  protected drop(id: number): void {
    this.chosen.update((before) => before.filter((one) => one !== id));
  }
  protected figure(value: number, id: number, sign = false): string {
    const point = this.pointOf(id);
    const words = `${formatNumber(Math.abs(value), (point?.decimals ?? 1) + 1)} ${point?.unit ?? ''}`.trim();
    return sign ? `${value < 0 ? '−' : '+'} ${words}` : words;
  }
  protected readonly verdicts = { agrees: 'not shown to be off', off: 'is off', odd: 'is off, and the odd one out' } as const;
  protected tick(id: number, on: boolean): void {
    this.ticked.update((before) => {
      const next = new Set(before);
      if (on) next.add(id);
      else next.delete(id);
      return next;
    });
  }
  /** Where the bias stands on its staff, %. */
  protected place(value: number): number {
    return Math.min(100, Math.max(0, 50 + (50 * value) / this.scale()));
  }

  /** Keeps a version for each that is ticked; those that could not be kept stay ticked. */
  protected async keep(): Promise<void> {
    if (this.working()) return;
    this.working.set(true);
    const failed: string[] = [];
    const kept: string[] = [];
    const beside = this.reference() === 'median' ? 'the median of those beside it' : this.titleOf(Number(this.reference()));
    for (const { one, point } of this.rows()) {
      if (!point || !this.ticked().has(one.id)) continue;
      const note = `side by side with ${beside}, ${this.hours()} h, ${one.n} stretches`.slice(0, 200);
      try {
        await this.api.call(calibrate.add, {
          params: { node: point.node, point: point.name },
          body: { method: one.method, captures: [...one.captures], note },
        });
        kept.push(this.titleOf(one.id));
        this.tick(one.id, false);
      } catch (error) {
        failed.push(`${this.titleOf(one.id)}: ${messageOf(error)}`);
      }
    }
    const words = kept.length === 0 ? '' : `Kept from now on for ${kept.join(', ')}. `;
    this.said.set({ text: `${words}${failed.length === 0 ? '' : `Not kept: ${failed.join('; ')}`}`.trim(), bad: failed.length > 0 });
    this.working.set(false);
    this.fetched.reload();
  }
  protected fix({ method, bias, id }: Compared): string {
    return method === 'offset' ? `${this.figure(-bias, id, true)} to all it shows` : 'a line: offset and slope';
  }
}
