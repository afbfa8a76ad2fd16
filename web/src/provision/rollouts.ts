import { provision, type Node, type Rollout } from '@dewpost/contract';
import { formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { TriangleAlert } from 'lucide';
import { Api, messageOf } from '../data/api';
import { allNodes, allRollouts, placeFeature } from '../data/reducers';
import { selectTimezone } from '../data/selectors';
import { Hatches } from '../parts/hatches';
import { Icon } from '../parts/icon';
import { dayAndTime, timeOfDay } from '../parts/times';
import { ProvisionPages } from './provision-pages';
import { RolloutScale } from './rollout-scale';

type RolloutNode = Rollout['nodes'][number];

const WORDS: Record<RolloutNode['state'], string> = {
  waiting: 'waits for its step',
  told: 'told',
  fetching: 'fetching',
  starting: 'starting it',
  watched: 'watched',
  healthy: 'healthy',
  failed: 'failed',
  'left-out': 'left out',
  'going-back': 'going back',
  back: 'back',
};
const minutes = (time: string): number => Number(time.slice(0, 2)) * 60 + Number(time.slice(3, 5));
const clock = (minute: number): string => `${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(minute % 60).padStart(2, '0')}`;

/** Images on their way through the fleet: step by step, each node's state, and the rule that halts them. */
@Component({
  selector: 'dp-rollouts',
  imports: [FormsModule, Hatches, Icon, ProvisionPages, RolloutScale],
  templateUrl: './rollouts.html',
  styles: `
    .grid {
      display: grid;
      grid-template-columns: 280px repeat(auto-fill, minmax(110px, 1fr));
      gap: 8px 16px;
      padding: 8px 0;
    }
    .grid label {
      display: grid;
      gap: 2px;
      color: var(--ink-2);
    }
    .grid label:first-child {
      grid-column: 1;
    }
    .who {
      display: flex;
      flex-wrap: wrap;
      gap: 2px 20px;
      padding: 8px 0;
      border: 0;
      max-height: 150px;
      overflow-y: auto;
    }
    .who .check {
      gap: 6px;
    }
    .head,
    .figures,
    .do {
      display: flex;
      flex-wrap: wrap;
      gap: 4px 16px;
      align-items: center;
    }
    .head .quiet {
      margin-right: auto;
    }
    .why {
      padding-top: 4px;
    }
    .bad,
    .stop {
      color: var(--carmine);
    }
    .pick-one {
      display: grid;
      width: 100%;
      padding: 8px 16px;
      text-align: left;
      border-top: 1px solid var(--hair);
    }
    .pick-one[aria-pressed='true'] {
      background: var(--spruce-t);
    }
    @media (max-width: 899px) {
      .grid {
        grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
      }
      .grid label:first-child {
        grid-column: 1 / -1;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Rollouts {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly caution = TriangleAlert;
  protected readonly words = WORDS;
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  private readonly zone = this.store.selectSignal(selectTimezone);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  private readonly nodes = this.store.selectSignal(allNodes.selectAll);
  private readonly live = this.store.selectSignal(allRollouts.selectEntities);
  protected readonly read = resource({ loader: () => this.api.call(provision.rollouts, {}) });
  private readonly library = resource({ params: () => this.maker() || undefined, loader: () => this.api.call(provision.firmware, {}) });
  protected readonly problem = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly rollouts = computed((): Rollout[] => {
    const live = this.live();
    const known = (this.read.hasValue() ? this.read.value() : []).map((one) => live[one.id] ?? one);
    const fresh = Object.values(live).filter((one): one is Rollout => one !== undefined && !known.some((other) => other.id === one.id));
    return [...fresh, ...known].sort((a, b) => b.id - a.id);
  });
  protected readonly picked = signal<number | null>(null);
  protected readonly shown = computed(() => this.rollouts().find((one) => one.id === this.picked()) ?? this.rollouts()[0] ?? null);
  protected readonly head = computed(() => {
    const open = this.rollouts().filter((one) => ['running', 'paused', 'going-back'].includes(one.state)).length;
    return open > 0 ? `${open} under way` : 'none under way';
  });
  protected readonly said = signal<string | null>(null);
  protected readonly making = signal(false);
  protected readonly busy = signal(false);

  protected readonly images = computed(() => (this.library.hasValue() ? this.library.value() : []));
  private readonly wished = signal<string | null>(null);
  protected readonly firmware = Object.assign(
    computed(() => this.wished() ?? this.images()[0]?.id ?? ''),
    { set: (id: string) => this.wished.set(id) },
  );
  protected readonly canaries = signal(1);
  protected readonly shares = signal('25, 50, 100');
  protected readonly settle = signal(600);
  protected readonly patience = signal(180);
  protected readonly fails = signal(10);
  protected readonly from = signal('');
  protected readonly to = signal('');
  protected readonly back = signal(true);
  private readonly ticked = signal<ReadonlyMap<string, boolean>>(new Map());
  /** Proved nodes that the image is made for, as far as what runs on them tells. */
  protected readonly candidates = computed(() => {
    const image = this.images().find((one) => one.id === this.firmware());
    if (!image) return [];
    const onBoard = new Set(
      this.images()
        .filter((one) => one.board === image.board)
        .flatMap((one) => one.nodes),
    );
    // A leaf takes no images over the air.
    return this.nodes().filter(
      (node) => node.gateway === null && node.state === 'proved' && (onBoard.has(node.id) || node.firmware === null),
    );
  });
  /** Ticked by a person; else what is known to have the board and runs another image. */
  protected isChosen(node: Node): boolean {
    const image = this.images().find((one) => one.id === this.firmware());
    return this.ticked().get(node.id) ?? (node.firmware !== null && !(image?.nodes.includes(node.id) ?? false));
  }
  protected readonly chosen = computed(() => this.candidates().filter((node) => this.isChosen(node)));

  protected toggle(node: string, on: boolean): void {
    this.ticked.update((before) => new Map(before).set(node, on));
  }

  protected async begin(): Promise<void> {
    const shares = this.shares()
      .split(/[,; ]+/)
      .filter((text) => text !== '')
      .map((text) => Number(text.replace('%', '')) / 100);
    if (shares.some((share) => !(share > 0 && share <= 1))) {
      this.said.set('The shares are numbers from 1 to 100 with commas between, rising: 25, 50, 100.');
      return;
    }
    this.busy.set(true);
    try {
      const window = this.from() !== '' && this.to() !== '' ? { from: minutes(this.from()), to: minutes(this.to()) } : null;
      const made = await this.api.call(provision.beginRollout, {
        body: {
          firmware: this.firmware(),
          nodes: this.chosen().map((node) => node.id),
          rule: {
            canaries: this.canaries(),
            shares,
            settleSeconds: this.settle(),
            patienceSeconds: this.patience(),
            failShare: this.fails() / 100,
            window,
            rollBack: this.back(),
          },
        },
      });
      this.making.set(false);
      this.said.set(null);
      this.picked.set(made.id);
      this.read.reload();
    } catch (error) {
      this.said.set(messageOf(error));
    }
    this.busy.set(false);
  }

  protected async set(one: Rollout, wish: 'pause' | 'go-on' | 'roll-back'): Promise<void> {
    try {
      await this.api.call(provision.setRollout, { params: { id: one.id }, body: { wish } });
      this.said.set(null);
      this.read.reload();
    } catch (error) {
      this.said.set(messageOf(error));
    }
  }

  /** By step; those that were left out at the start come last. */
  protected inOrder(one: Rollout): RolloutNode[] {
    const place = (node: RolloutNode): number => (node.step < 0 ? Infinity : node.step);
    return [...one.nodes].sort((a, b) => (place(a) === place(b) ? 0 : place(a) - place(b)));
  }
  protected seen(one: Rollout, node: RolloutNode): string {
    if (node.state === 'fetching') return `${formatNumber((100 * node.bytes) / one.bytes, 0)} % of ${formatNumber(one.bytes / 1024, 0)} kB`;
    if (node.state === 'told') {
      const known = this.nodes().find((other) => other.id === node.node);
      return known && !known.connected ? 'waits for its next wake' : '';
    }
    return node.why;
  }
  protected window(one: Rollout): string {
    return one.rule.window ? `between ${clock(one.rule.window.from)} and ${clock(one.rule.window.to)}` : 'at any hour';
  }
  protected when(ms: number): string {
    return dayAndTime(ms, this.zone());
  }
  protected time(ms: number): string {
    return timeOfDay(ms, this.zone(), true);
  }
}
