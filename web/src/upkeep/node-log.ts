import { plan, type Node, type NodeLogEntry } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input, resource } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatTableModule } from '@angular/material/table';
import { Router } from '@angular/router';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../data/api';
import { allNodes, placeFeature } from '../data/reducers';
import { selectTimezone } from '../data/selectors';
import { LongRows, pagesOf } from '../parts/long-rows';
import { NodePicker } from '../parts/node-picker';
import { dayAndTime } from '../parts/times';
import { NodeCare } from './node-care';
import { NodeFacts } from './node-facts';
import { UpkeepPages } from './upkeep-pages';
import { Selection } from '../shell/selection';

/** A node: what is known of it, what is done to it in its years, and its log: what it said of itself and what was refused from it. */
@Component({
  selector: 'dp-node-log',
  imports: [LongRows, MatButton, MatTableModule, NodeCare, NodeFacts, NodePicker, UpkeepPages],
  templateUrl: './node-log.html',
  styles: `
    .log-head {
      padding: 12px 16px 6px 56px;
    }
    @media (max-width: 899px) {
      .log-head {
        padding-left: 16px;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class NodeLogPage {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly selection = inject(Selection);
  readonly node = input<string>();
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly nodes = this.store.selectSignal(allNodes.selectAll);
  protected readonly loaded = this.store.selectSignal(placeFeature.selectLoaded);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  protected readonly shown = computed(
    () => this.nodes().find((node) => node.id === (this.node() ?? [...this.selection.nodes()].at(-1))) ?? this.nodes()[0] ?? null,
  );
  protected readonly log = resource({
    params: () => this.shown()?.id,
    loader: ({ params }) => this.api.call(plan.nodeLog, { params: { id: params } }),
  });
  protected readonly entries = computed<NodeLogEntry[]>(() => (this.log.hasValue() ? this.log.value() : []));
  protected readonly pages = pagesOf(this.entries);
  protected readonly problem = computed(() => (this.log.error() ? messageOf(this.log.error()) : null));

  protected readonly columns = ['mark', 'at', 'level', 'text', 'times'];
  /** Does it say hello at all? What is computed, and what keeps firmware of its own, does not. */
  protected measures({ kind }: Node): boolean {
    return kind !== 'computed' && kind !== 'adopted';
  }
  protected isBad({ level }: NodeLogEntry): boolean {
    return level === 'refused' || level === 'fault';
  }
  protected at(ms: number): string {
    return dayAndTime(ms, this.zone());
  }
  protected choose(node: string): void {
    void this.router.navigate(['/upkeep', node]);
  }
}
