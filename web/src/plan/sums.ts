import { plan } from '@dewpost/contract';
import { catalogueOf } from '@dewpost/core/circuit';
import { breakEven, partsList, type Batch } from '@dewpost/core/cost';
import { REPEAT_AFTER_MS, sendGaps } from '@dewpost/core/leaf';
import { formatNumber } from '@dewpost/core/quantity';
import { answeredDelivery, burstDelivery, burstyDelivery } from '@dewpost/core/radio';
import type { Burst } from '@dewpost/core/wire';
import { againstCap, megabytesPerMonth, siteTraffic, withRollups, type Carrier, type Sender } from '@dewpost/core/traffic';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { Counted } from '../parts/counted';
import { Api, messageOf } from '../data/api';
import { allNodes, allPoints, placeFeature } from '../data/reducers';
import { downloadCsv } from '../parts/download-csv';
import { profilesOf } from './catalogue-reply';
import { PlanPages } from './plan-pages';

const CARRIERS: readonly Carrier[] = [
  'datagrams',
  'MQTT',
  'MQTT over TLS',
  'HTTP, a connection a post',
  'HTTP over TLS, a connection a post',
];
/** Waits before a leaf sends again, s. */
const WAITS = REPEAT_AFTER_MS.map((ms) => ms / 1000);
const REPEATS = [1, 2, 3, 4, 6, 10];

/** What all nodes together send, store and cost: computed from the nodes and their sheets as they stand. */
@Component({
  selector: 'dp-sums',
  imports: [Counted, FormsModule, PlanPages],
  templateUrl: './sums.html',
  styleUrl: './sums.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Sums {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  private readonly nodes = this.store.selectSignal(allNodes.selectAll);
  private readonly points = this.store.selectSignal(allPoints.selectAll);
  private readonly profiles = resource({ loader: () => this.api.call(plan.catalogue, {}) });
  private readonly sheets = resource({ loader: () => this.api.call(plan.sheets, {}) });
  protected readonly problem = computed(() =>
    this.profiles.error() ? messageOf(this.profiles.error()) : this.sheets.error() ? messageOf(this.sheets.error()) : null,
  );
  protected readonly loaded = computed(() => this.profiles.hasValue() && this.sheets.hasValue());
  protected readonly count = computed(() => this.nodes().length);

  protected readonly posts = signal(100);
  protected readonly windowMinutes = signal(15);
  protected readonly bytes = signal(1000);
  protected readonly mostPoints = signal(8);
  protected readonly rawDays = signal(90);
  protected readonly loss = signal(30);
  protected readonly spacing = signal(1);
  protected readonly spares = signal(10);
  protected readonly bought = signal(60);
  protected readonly fee = signal(12);
  protected readonly hours = signal(1.5);
  protected readonly worth = signal(0);

  private readonly senders = computed((): Sender[] => {
    const sent = new Map<string, number>();
    for (const point of this.points()) if (point.kind !== 'derived') sent.set(point.node, (sent.get(point.node) ?? 0) + 1);
    return this.nodes().map((node) => ({ id: node.id, reportSeconds: node.reportSeconds, points: sent.get(node.id) ?? 1 }));
  });
  protected readonly traffic = computed(() => siteTraffic(this.senders()));
  /** Gateways and what speaks through them: only that crosses a metered link. */
  protected readonly behind = computed((): Sender[] => {
    const gateways = new Set(this.nodes().flatMap((node) => node.gateway ?? []));
    return this.nodes().flatMap((node) => {
      const sender = this.senders().find((one) => one.id === node.id);
      if (!sender || (node.gateway === null && !gateways.has(node.id))) return [];
      return [{ ...sender, link: node.gateway === null ? ('standing' as const) : ('through a gateway' as const) }];
    });
  });
  protected readonly carriers = computed(() =>
    CARRIERS.map((carrier) => ({ carrier, megabytes: megabytesPerMonth(this.behind(), carrier) })),
  );
  protected readonly cap = computed(() =>
    againstCap(this.senders(), {
      posts: this.posts(),
      windowSeconds: this.windowMinutes() * 60,
      bytes: this.bytes(),
      points: this.mostPoints(),
    }),
  );
  protected readonly delivery = computed(() =>
    REPEATS.map((sends) => ({
      sends,
      alone: burstDelivery(this.loss() / 100, sends),
      bursty: burstyDelivery(this.loss() / 100, 2, sends, this.spacing()),
      crowded: burstyDelivery(this.loss() / 100, 2, sends, 0.01),
    })),
  );
  protected readonly rolled = computed(() => withRollups(this.senders(), this.rawDays()));
  protected readonly answered = computed(() => ({
    alone: 1 - (this.loss() / 100) ** (WAITS.length + 1),
    ...answeredDelivery(this.loss() / 100, 2, WAITS),
  }));
  private readonly readBurst = resource({ loader: () => this.api.call(plan.leafBurst, {}) });
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  /** What was typed of how leaves send; `null`: nothing. */
  protected readonly typedBurst = signal<Burst | null>(null);
  protected readonly burst = computed(() => this.typedBurst() ?? (this.readBurst.hasValue() ? this.readBurst.value() : null));
  protected readonly leafDelivery = computed(() => {
    const burst = this.burst();
    return burst && answeredDelivery(this.loss() / 100, 2, sendGaps(burst));
  });
  protected readonly burstSaid = signal<{ text: string; bad: boolean } | null>(null);
  protected async keepBurst(burst: Burst): Promise<void> {
    try {
      const { leaves } = await this.api.call(plan.setLeafBurst, { body: burst });
      this.readBurst.reload();
      this.typedBurst.set(null);
      this.burstSaid.set({
        text: leaves.length === 0 ? 'Planned. No leaf follows it yet.' : `Planned. Write ${leaves.join(', ')} again to tell them.`,
        bad: false,
      });
    } catch (error) {
      this.burstSaid.set({ text: messageOf(error), bad: true });
    }
  }
  protected readonly unpriced = computed(() => this.nodes().filter((node) => !this.sheetOf(node.sheet)?.body.draft).length);
  private readonly batches = computed((): Batch[] => {
    if (!this.profiles.hasValue()) return [];
    const catalogue = catalogueOf(profilesOf(this.profiles.value()));
    const bySheet = new Map<string, number>();
    for (const node of this.nodes()) bySheet.set(node.sheet, (bySheet.get(node.sheet) ?? 0) + 1);
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
  protected readonly list = computed(() => partsList(this.batches(), this.spares()));
  protected readonly sum = computed(() => this.list().reduce((total, line) => total + line.sum, 0));
  protected readonly against = computed(() =>
    breakEven(this.sum(), this.count() - this.unpriced(), {
      unitPrice: this.bought(),
      yearlyFee: this.fee(),
      hoursPerNode: this.hours(),
      hourlyWorth: this.worth(),
    }),
  );

  protected number(value: number, decimals = 0): string {
    return formatNumber(value, decimals);
  }
  protected percent(value: number): string {
    return value > 0.9999 ? 'over 99.99 %' : `${formatNumber(value * 100, value > 0.99 ? 2 : 1)} %`;
  }
  protected csv(): void {
    downloadCsv('parts.csv', [
      ['part', 'quantity', 'price', 'sum'],
      ...this.list().map((line) => [line.name, String(line.quantity), String(line.price), line.sum.toFixed(2)]),
    ]);
  }

  private sheetOf(name: string) {
    return this.sheets.hasValue() ? this.sheets.value().find((sheet) => sheet.name === name) : undefined;
  }
}
