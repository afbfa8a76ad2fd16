import { provision, type Rollout } from '@dewpost/contract';
import { formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatTableModule } from '@angular/material/table';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../data/api';
import { allNodes, allRollouts, placeFeature } from '../data/reducers';
import { selectTimezone } from '../data/selectors';
import { Hatches } from '../parts/hatches';
import { dayAndTime, timeOfDay } from '../parts/times';
import { NewRollout } from './new-rollout';
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
const clock = (minute: number): string => `${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(minute % 60).padStart(2, '0')}`;

/** Images on their way through the fleet: step by step, each node's state, and the rule that halts them. */
@Component({
  selector: 'dp-rollouts',
  imports: [Hatches, MatButton, MatTableModule, NewRollout, ProvisionPages, RolloutScale],
  templateUrl: './rollouts.html',
  styles: `
    .head,
    .figures {
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
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Rollouts {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly wordsOf = (node: RolloutNode): string => WORDS[node.state];
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  private readonly zone = this.store.selectSignal(selectTimezone);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  private readonly nodes = this.store.selectSignal(allNodes.selectAll);
  private readonly live = this.store.selectSignal(allRollouts.selectEntities);
  protected readonly read = resource({ loader: () => this.api.call(provision.rollouts, {}) });
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
  protected readonly columns = ['mark', 'node', 'step', 'state', 'since', 'seen'];
  protected readonly byName = (_place: number, node: RolloutNode): string => node.node;

  /** A rollout has begun: its form goes, and it is shown. */
  protected follow(made: Rollout): void {
    this.making.set(false);
    this.said.set(null);
    this.picked.set(made.id);
    this.read.reload();
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
