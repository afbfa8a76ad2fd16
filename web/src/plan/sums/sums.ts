import { plan } from '@dewpost/contract';
import { catalogueOf } from '@dewpost/core/circuit';
import type { Batch } from '@dewpost/core/cost';
import type { Sender } from '@dewpost/core/traffic';
import { ChangeDetectionStrategy, Component, computed, inject, resource } from '@angular/core';
import { Store } from '@ngrx/store';
import { Counted } from '../../parts/counted';
import { Api, messageOf } from '../../data/api';
import { allNodes, allPoints } from '../../data/reducers';
import { selectBoardNodes } from '../../data/selectors';
import { profilesOf } from '../../data/catalogue-reply';
import { PlanPages } from '../common/plan-pages';
import { Cap } from './cap';
import { Cost } from './cost';
import { Repeats } from './repeats';
import { Sent } from './sent';

/** What all nodes together send, store and cost: computed from the nodes and their sheets as they stand. */
@Component({
  selector: 'dp-sums',
  imports: [Cap, Cost, Counted, PlanPages, Repeats, Sent],
  templateUrl: './sums.html',
  styleUrl: './sums.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Sums {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly nodes = this.store.selectSignal(allNodes.selectAll);
  private readonly boards = this.store.selectSignal(selectBoardNodes);
  private readonly points = this.store.selectSignal(allPoints.selectAll);
  private readonly profiles = resource({ loader: () => this.api.call(plan.catalogue, {}) });
  private readonly sheets = resource({ loader: () => this.api.call(plan.sheets, {}) });
  protected readonly problem = computed(() =>
    this.profiles.error() ? messageOf(this.profiles.error()) : this.sheets.error() ? messageOf(this.sheets.error()) : null,
  );
  protected readonly loaded = computed(() => this.profiles.hasValue() && this.sheets.hasValue());
  protected readonly count = computed(() => this.nodes().length);

  protected readonly senders = computed((): Sender[] => {
    const sent = new Map<string, number>();
    for (const point of this.points()) if (point.kind !== 'derived') sent.set(point.node, (sent.get(point.node) ?? 0) + 1);
    return this.nodes().map((node) => ({ id: node.id, reportSeconds: node.reportSeconds, points: sent.get(node.id) ?? 1 }));
  });
  /** Gateways and what speaks through them: only that crosses a metered link. */
  protected readonly behind = computed((): Sender[] => {
    const gateways = new Set(this.nodes().flatMap((node) => node.gateway ?? []));
    return this.nodes().flatMap((node) => {
      const sender = this.senders().find((one) => one.id === node.id);
      if (!sender || (node.gateway === null && !gateways.has(node.id))) return [];
      return [{ ...sender, link: node.gateway === null ? ('standing' as const) : ('through a gateway' as const) }];
    });
  });
  protected readonly unpriced = computed(() => this.boards().filter((node) => !this.sheetOf(node.sheet)?.body.draft).length);
  protected readonly batches = computed((): Batch[] => {
    if (!this.profiles.hasValue()) return [];
    const catalogue = catalogueOf(profilesOf(this.profiles.value()));
    const bySheet = new Map<string, number>();
    for (const node of this.boards()) bySheet.set(node.sheet, (bySheet.get(node.sheet) ?? 0) + 1);
    return [...bySheet].flatMap(([sheet, nodes]): Batch[] => {
      const draft = this.sheetOf(sheet)?.body.draft;
      if (!draft) return [];
      const items = [
        catalogue.boards.get(draft.board),
        catalogue.supplies.get(draft.supply),
        catalogue.antennas.get(draft.antenna),
        ...draft.parts.map((place) => catalogue.parts.get(place.part)),
      ].filter((one) => one !== undefined);
      return [{ nodes, items }];
    });
  });

  private sheetOf(name: string) {
    return this.sheets.hasValue() ? this.sheets.value().find((sheet) => sheet.name === name) : undefined;
  }
}
