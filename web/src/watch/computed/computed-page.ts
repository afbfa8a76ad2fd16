import { computed as endpoints, type Computed } from '@dewpost/contract';
import { formulaNamed } from '@dewpost/core/derive';
import { counted, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../../data/api';
import { nodeNames } from '../../data/node-names';
import { allLatest, allNodes, allPoints, placeFeature } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import { day } from '../../parts/times';
import { WatchPages } from '../watch-pages';
import { ComputedForm } from './computed-form';

/** How often it is asked how far a point has come that is computed anew, ms. */
const LOOK_MS = 1500;

/** Points that are computed from others: how, from which, what they show; made, changed and taken away. */
@Component({
  selector: 'dp-computed-page',
  imports: [ComputedForm, MatButton, RouterLink, WatchPages],
  templateUrl: './computed-page.html',
  styleUrl: './computed-page.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ComputedPage {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly nameOf = nodeNames();
  protected readonly counted = counted;
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  private readonly zone = this.store.selectSignal(selectTimezone);
  protected readonly points = this.store.selectSignal(allPoints.selectAll);
  private readonly newest = this.store.selectSignal(allLatest.selectEntities);
  protected readonly nodes = this.store.selectSignal(allNodes.selectAll);
  protected readonly maker = computed(() => this.me()?.role === 'maker');

  protected readonly fetched = resource({ loader: () => this.api.call(endpoints.list, {}) });
  protected readonly all = computed(() => (this.fetched.hasValue() ? this.fetched.value() : null));
  protected readonly failed = computed(() => (this.fetched.error() ? messageOf(this.fetched.error()) : null));
  /** A formula and the number of a first point that somebody comes with. */
  readonly formula = input<string>();
  readonly of = input<string>();
  private readonly isThere = computed(() => this.points().some(({ id }) => id === Number(this.of())));
  protected readonly wants = computed(() => {
    const formula = this.formula();
    return formula !== undefined && this.isThere() ? { formula, point: Number(this.of()) } : null;
  });
  protected readonly making = linkedSignal(() => this.wants() !== null && this.maker());
  protected readonly changing = signal<Computed | null>(null);
  protected readonly asking = signal<number | null>(null);
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);

  protected readonly rows = computed(() =>
    (this.all() ?? []).map((one) => {
      const point = this.points().find(({ id }) => id === one.id);
      const latest = this.newest()[one.id];
      const formula = formulaNamed(one.formula);
      return {
        one,
        label: point?.label ?? one.name,
        formula: formula?.title ?? one.formula,
        from: one.inputs.map((from) => this.titleOf(from)).join(' · '),
        figures: (formula?.parameters ?? [])
          .map(({ name, label, unit }) => `${label.toLowerCase()} ${one.parameters[name] ?? ''} ${unit}`.trim())
          .join(', '),
        shows: point && latest ? formatNumber(latest.value, point.decimals) : '–',
        unit: point?.unit ?? '',
        state:
          one.problem ??
          (one.anewFrom === null ? '' : one.anewFrom === 0 ? 'is computed anew' : `computed anew up to ${day(one.anewFrom, this.zone())}`),
      };
    }),
  );

  private titleOf({ node, point }: { node: string; point: string }): string {
    const found = this.points().find((one) => one.node === node && one.name === point);
    return `${found?.label ?? point}, ${this.nameOf(node)}`;
  }

  protected begin(): void {
    this.changing.set(null);
    this.said.set(null);
    this.making.set(true);
  }
  protected change(one: Computed): void {
    this.making.set(false);
    this.said.set(null);
    this.changing.set(one);
  }
  protected close(): void {
    this.making.set(false);
    this.changing.set(null);
  }
  protected kept(): void {
    const fresh = this.changing() === null;
    this.close();
    this.said.set({
      text: fresh ? 'It is computed now: over all that is stored, and from here on.' : 'It is computed so from now on.',
      bad: false,
    });
    this.follow();
  }
  /** Reads again while something is computed anew. */
  private follow(): void {
    this.fetched.reload();
    setTimeout(() => {
      if (this.all()?.some(({ anewFrom, problem }) => anewFrom !== null && problem === null)) this.follow();
      else this.fetched.reload();
    }, LOOK_MS);
  }
  protected async remove(id: number, label: string): Promise<void> {
    this.asking.set(null);
    try {
      await this.api.call(endpoints.remove, { params: { id } });
      this.said.set({ text: `${label} is taken away.`, bad: false });
      this.fetched.reload();
    } catch (error) {
      this.said.set({ text: messageOf(error), bad: true });
    }
  }
}
