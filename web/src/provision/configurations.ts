import { plan, provision, type Node } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule, type MatSelectChange } from '@angular/material/select';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Counted } from '../parts/counted';
import { Api, messageOf } from '../data/api';
import { placeFeature } from '../data/reducers';
import { selectBoardNodes, selectTimezone } from '../data/selectors';
import { NodePicker } from '../parts/node-picker';
import { PlainTable, type PlainColumn } from '../parts/plain-table';
import { dayAndTime } from '../parts/times';
import { Selection } from '../shell/selection';
import { ProvisionPages } from './provision-pages';

const DIFFERENCES: readonly PlainColumn[] = [
  { id: 'key', label: 'Value', kind: 'head' },
  { id: 'before', label: 'Last written', kind: 'figure' },
  { id: 'after', label: 'Now', kind: 'figure' },
];

/** What a node is to hold, against what was last written to it; whole, with its secrets, only when it is downloaded on purpose. */
@Component({
  selector: 'dp-configurations',
  imports: [Counted, MatButton, MatFormFieldModule, MatInput, MatSelectModule, NodePicker, PlainTable, ProvisionPages, RouterLink],
  templateUrl: './configurations.html',
  styles: `
    .do {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
      align-items: center;
      padding-top: 8px;
    }
    pre {
      padding: 8px 16px 16px 56px;
      margin: 0;
      font-size: 11.5px;
      line-height: 16px;
      white-space: pre-wrap;
      overflow-wrap: anywhere;
    }
    .row {
      display: grid;
      padding: 4px 16px;
    }
    .row.behind .mono {
      color: var(--rust);
    }
    .air {
      display: grid;
      gap: 8px;
      padding: 8px 16px 12px;
    }
    .air mat-form-field {
      width: 140px;
    }
    .air .wide {
      width: 100%;
    }
    @media (max-width: 899px) {
      pre {
        padding-left: 16px;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Configurations {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly selection = inject(Selection);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  private readonly zone = this.store.selectSignal(selectTimezone);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  protected readonly nodes = this.store.selectSignal(selectBoardNodes);
  private readonly sheets = resource({ loader: () => this.api.call(plan.sheets, {}) });
  private readonly profiles = resource({ loader: () => this.api.call(plan.catalogue, {}) });
  protected readonly picked = signal<string | null>(null);
  protected readonly node = computed(() => this.picked() ?? [...this.selection.nodes()][0] ?? this.nodes()[0]?.id ?? null);
  protected readonly read = resource({
    params: () => this.node() ?? undefined,
    loader: ({ params: id }) => this.api.call(provision.configuration, { params: { id } }),
  });
  protected readonly problem = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly differenceColumns = DIFFERENCES;
  protected readonly differenceRows = computed(() =>
    (this.read.hasValue() ? this.read.value().differences : []).map(({ key, before, after }) => ({
      key,
      before: before ?? 'not there',
      after: after ?? 'gone',
    })),
  );
  protected readonly text = computed(() => (this.read.hasValue() ? JSON.stringify(this.read.value().configuration, null, 1) : ''));
  protected readonly behind = computed(() =>
    this.nodes().filter((node) => node.gateway === null && node.heardAt !== null && (node.haveRevision ?? 0) < node.revision),
  );

  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  protected readonly interval = signal<number | null>(null);
  protected readonly revoking = signal(false);
  protected readonly replacing = signal(false);
  protected readonly heard = computed(() => this.nodes().flatMap((node) => (node.heardAt !== null && !node.keySealed ? [node.id] : [])));
  /** Every node that was heard, those behind first. */
  protected readonly confirmed = computed(() =>
    this.nodes()
      .filter((node) => node.heardAt !== null)
      .map((node) => {
        if (node.gateway !== null) return { id: node.id, behind: false, text: `a leaf of ${node.gateway}: told when it is written` };
        const behind = (node.haveRevision ?? 0) < node.revision;
        const at = node.haveAt === null ? '' : `, ${dayAndTime(node.haveAt, this.zone())}`;
        const key = node.keyRotates ? '; a new key is on its way' : '';
        return {
          id: node.id,
          behind,
          text: `${behind ? `${node.haveRevision ?? 'none'} of ${node.revision}` : `revision ${node.revision}`}${at}${key}`,
        };
      })
      .sort((a, b) => Number(b.behind) - Number(a.behind)),
  );

  protected setInterval(): Promise<void> {
    const reportSeconds = this.interval() ?? 0;
    return this.tell(async () => {
      await this.api.call(provision.setInterval, { body: { nodes: [this.node() ?? ''], reportSeconds } });
      this.interval.set(null);
      this.read.reload();
      return `${this.node()} is told to report every ${reportSeconds} s.`;
    });
  }
  protected readonly gatewayOf = computed(() => this.nodes().find((one) => one.id === this.node())?.gateway ?? null);
  /** Whom it can be a leaf of: not itself, and no leaf. */
  protected readonly gateways = computed(() =>
    this.nodes().flatMap((one) => (one.id !== this.node() && one.gateway === null && this.isGateway(one) ? [one.id] : [])),
  );
  /** Has a board with a network of its own to give, or leaves already. */
  private isGateway(node: Node): boolean {
    const draft = this.sheets.hasValue() ? this.sheets.value().find((sheet) => sheet.name === node.sheet)?.body.draft : null;
    const boards = this.profiles.hasValue() ? this.profiles.value().boards : [];
    return (
      boards.some((board) => board.id === draft?.board && board.accessPoint) || this.nodes().some((other) => other.gateway === node.id)
    );
  }
  /** Leads it through what was chosen; a refusal leaves the choice as it was. */
  protected async lead({ source, value }: MatSelectChange): Promise<void> {
    await this.setGateway(value as string | null);
    if (this.said()?.bad) source.value = this.gatewayOf();
  }
  private setGateway(gateway: string | null): Promise<void> {
    return this.tell(async () => {
      await this.api.call(provision.setGateway, { params: { id: this.node() ?? '' }, body: { gateway, burst: null } });
      this.read.reload();
      // A node that is a gateway already has its network open, and is told of the new leaf over the air.
      const known = gateway === null || this.nodes().some((one) => one.gateway === gateway && one.id !== this.node());
      return `${this.node()} is ${gateway === null ? 'a leaf no more' : `a leaf of ${gateway}`}: write ${known ? 'it' : 'both'} again at the bench.`;
    });
  }
  protected rotate(nodes: readonly string[]): Promise<void> {
    return this.tell(async () => {
      const { rotating, not } = await this.api.call(provision.rotateKeys, { body: { nodes: [...nodes] } });
      return [`${rotating.length} told a new key.`, ...not.map((one) => one.why)].join(' ');
    });
  }
  protected revoke(): Promise<void> {
    return this.tell(async () => {
      await this.api.call(provision.revokeKey, { params: { id: this.node() ?? '' } });
      this.revoking.set(false);
      return `The key of ${this.node()} is worthless now.`;
    });
  }
  protected replace(): Promise<void> {
    return this.tell(async () => {
      await this.api.call(provision.replaceBoard, { params: { id: this.node() ?? '' } });
      this.replacing.set(false);
      return `${this.node()} waits at the bench for its new board.`;
    });
  }
  private async tell(act: () => Promise<string>): Promise<void> {
    try {
      this.said.set({ text: await act(), bad: false });
    } catch (error) {
      this.said.set({ text: messageOf(error), bad: true });
    }
  }

  protected address(form: 'json' | 'header' | 'csv'): string {
    return `/api/v1/nodes/${encodeURIComponent(this.node() ?? '')}/configuration/${form}`;
  }
}
