import { addressesReply, addressing, networksReply, type Addressing, type Subnet } from '@dewpost/contract';
import type * as z from 'zod';
import { addressProblem, checkCredentials, freeAddresses, poolSize, subnetProblems, usableHosts } from '@dewpost/core/network';
import { ChangeDetectionStrategy, Component, computed, effect, inject, resource, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { ArrowUp, Plus, X } from 'lucide';
import { counted } from '@dewpost/core/quantity';
import { Counted } from '../parts/counted';
import { Api, ApiError, messageOf } from '../data/api';
import { placeFeature } from '../data/reducers';
import { ChangedMeanwhile, differences } from '../parts/changed-meanwhile';
import { downloadCsv } from '../parts/download-csv';
import { Icon } from '../parts/icon';
import { PlanPages } from './plan-pages';

type NetworksReply = z.output<typeof networksReply>;
type AddressesReply = z.output<typeof addressesReply>;

interface NetworkRow {
  name: string;
  /** `null`: as it is kept, sealed. */
  passphrase: string | null;
  known: boolean;
}

const SITE: Subnet = {
  id: 'site',
  network: '192.168.7.0',
  prefix: 24,
  router: '192.168.7.1',
  poolFirst: '192.168.7.100',
  poolLast: '192.168.7.199',
};
const HOW: readonly { how: Addressing['how']; says: string; why: string }[] = [
  {
    how: 'reserved',
    says: 'reserved at the router',
    why: 'The router keeps one address for each board: put the list below into it. A board that is replaced needs its line changed there.',
  },
  {
    how: 'static',
    says: 'written into the node',
    why: 'Joins faster and sleeps sooner: a battery node saves seconds at every wake. The addresses must stay out of the router’s pool.',
  },
  { how: 'router', says: 'whatever the router gives', why: 'Nothing to keep. A node is found by its name only, and joining takes longer.' },
];

/** Networks in the order that nodes try them, and the address of every node. */
@Component({
  selector: 'dp-addresses',
  imports: [ChangedMeanwhile, Counted, FormsModule, Icon, PlanPages],
  templateUrl: './addresses.html',
  styleUrl: './addresses.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Addresses {
  private readonly api = inject(Api);
  private readonly me = inject(Store).selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  protected readonly icons = { ArrowUp, Plus, X };
  protected readonly choices = HOW;
  private readonly nets = resource({ params: () => this.maker() || undefined, loader: () => this.api.call(addressing.networks, {}) });
  private readonly kept = resource({ params: () => this.maker() || undefined, loader: () => this.api.call(addressing.addresses, {}) });
  protected readonly problem = computed(() => {
    const error = this.nets.error() ?? this.kept.error();
    return error ? messageOf(error) : null;
  });
  protected readonly loaded = computed(() => this.nets.hasValue() && this.kept.hasValue());

  protected readonly networks = signal<readonly NetworkRow[]>([]);
  protected readonly networkSaid = signal<{ text: string; bad: boolean } | null>(null);
  protected readonly notes = computed(() =>
    this.networks().map(({ name, passphrase }) => checkCredentials(name, passphrase ?? 'kept as it is')),
  );

  protected readonly how = signal<Addressing['how']>('reserved');
  protected readonly subnets = signal<readonly Subnet[]>([SITE]);
  protected readonly addresses = signal<ReadonlyMap<string, string>>(new Map());
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  protected readonly saving = signal(false);
  protected readonly why = computed(() => HOW.find((one) => one.how === this.how())?.why ?? '');

  protected readonly subnetNotes = computed(() => {
    const problems = subnetProblems(this.subnets());
    return this.subnets().map((subnet, i) => ({
      texts: problems.filter(({ at }) => at === i).map(({ text }) => text),
      free: usableHosts(subnet.prefix) - (poolSize(subnet.poolFirst, subnet.poolLast) ?? 0) - 1,
    }));
  });
  private readonly nodes = computed(() => (this.kept.hasValue() ? this.kept.value().nodes : []));
  protected readonly rows = computed(() => {
    const seen = new Map<string, string>();
    return this.nodes().map(({ node, subnet: id, hardwareId }) => {
      const address = this.addresses().get(node) ?? '';
      const subnet = this.subnets().find((one) => one.id === id) ?? this.subnets()[0];
      const problem = address === '' || !subnet ? null : addressProblem(subnet, address, seen, node);
      if (address !== '' && !seen.has(address)) seen.set(address, node);
      return { node, subnet: subnet?.id ?? '', hardwareId, address, problem };
    });
  });
  protected readonly missing = computed(() => this.rows().filter((row) => row.address === '').length);
  protected readonly wrong = computed(
    () => this.rows().filter((row) => row.problem !== null).length + this.subnetNotes().reduce((sum, note) => sum + note.texts.length, 0),
  );

  constructor() {
    effect(() => {
      if (!this.nets.hasValue()) return;
      const { version, networks } = this.nets.value();
      const rows = networks.map(({ name }): NetworkRow => ({ name, passphrase: null, known: true }));
      untracked(() => {
        this.networksFrom.set(version);
        this.networks.set(rows);
      });
    });
    effect(() => {
      if (!this.kept.hasValue()) return;
      const { version, addressing: plan, nodes } = this.kept.value();
      untracked(() => {
        this.addressesFrom.set(version);
        if (plan) {
          this.how.set(plan.how);
          this.subnets.set(plan.subnets);
        }
        this.addresses.set(new Map(nodes.flatMap((one) => (one.address === null ? [] : [[one.node, one.address]]))));
      });
    });
  }

  protected setNetwork(i: number, part: Partial<NetworkRow>): void {
    this.networks.update((rows) => rows.map((row, n) => (n === i ? { ...row, ...part } : row)));
  }
  protected addNetwork(): void {
    this.networks.update((rows) => [...rows, { name: '', passphrase: '', known: false }]);
  }
  protected dropNetwork(i: number): void {
    this.networks.update((rows) => rows.filter((_, n) => n !== i));
  }
  protected raise(i: number): void {
    this.networks.update((rows) => rows.map((row, n) => (n === i - 1 ? (rows[i] ?? row) : n === i ? (rows[i - 1] ?? row) : row)));
  }
  protected async saveNetworks(): Promise<void> {
    try {
      await this.api.call(addressing.setNetworks, {
        body: { from: this.networksFrom(), networks: this.networks().map(({ name, passphrase }) => ({ name, passphrase })) },
      });
      this.nets.reload();
      this.networkSaid.set({ text: 'Kept. Nodes written from now on try them in this order.', bad: false });
    } catch (error) {
      const current = error instanceof ApiError ? networksReply.safeParse(error.current) : null;
      if (current?.success) this.theirNetworks.set(current.data);
      else this.networkSaid.set({ text: messageOf(error), bad: true });
    }
  }

  /** The versions that were begun from; and what somebody else has saved since, beside what was typed. */
  private readonly networksFrom = signal(0);
  private readonly addressesFrom = signal(0);
  protected readonly theirNetworks = signal<NetworksReply | null>(null);
  protected readonly networksApart = computed(() => {
    const theirs = this.theirNetworks();
    const words = (names: readonly string[]): string => names.join(', then ');
    return theirs === null
      ? []
      : differences(
          { networks: 'networks, in order' },
          { networks: words(this.networks().map(({ name }) => name)) },
          { networks: words(theirs.networks.map(({ name }) => name)) },
        );
  });
  protected readonly theirs = signal<AddressesReply | null>(null);
  protected readonly apart = computed(() => {
    const theirs = this.theirs();
    if (theirs === null) return [];
    const rows = new Map(theirs.nodes.map(({ node, address }) => [node, address ?? '']));
    const labels = Object.fromEntries([...rows.keys()].map((node) => [node, node]));
    const mine = Object.fromEntries([...rows.keys()].map((node) => [node, this.addresses().get(node) ?? '']));
    const plan = { how: 'where an address comes from', subnets: 'subnets' };
    return [
      ...differences(plan, { how: this.how(), subnets: [...this.subnets()] }, theirs.addressing ?? { how: 'reserved', subnets: [] }),
      ...differences(labels, mine, Object.fromEntries(rows)),
    ];
  });
  protected takeTheirNetworks(theirs: NetworksReply): void {
    this.theirNetworks.set(null);
    this.nets.set(theirs);
  }
  protected saveMyNetworks(theirs: NetworksReply): void {
    this.theirNetworks.set(null);
    this.networksFrom.set(theirs.version);
    void this.saveNetworks();
  }
  protected takeTheirs(theirs: AddressesReply): void {
    this.theirs.set(null);
    this.kept.set(theirs);
  }
  protected saveMine(theirs: AddressesReply): void {
    this.theirs.set(null);
    this.addressesFrom.set(theirs.version);
    void this.save();
  }

  protected setSubnet(i: number, part: Partial<Subnet>): void {
    this.subnets.update((rows) => rows.map((row, n) => (n === i ? { ...row, ...part } : row)));
  }
  protected addSubnet(): void {
    const taken = this.subnets().length;
    const base = `10.7.${taken}`;
    this.subnets.update((rows) => [
      ...rows,
      { id: `gateway-${taken}`, network: `${base}.0`, prefix: 24, router: `${base}.1`, poolFirst: `${base}.100`, poolLast: `${base}.199` },
    ]);
  }
  protected dropSubnet(i: number): void {
    this.subnets.update((rows) => rows.filter((_, n) => n !== i));
  }
  protected setAddress(node: string, address: string): void {
    this.addresses.update((before) => {
      const next = new Map(before);
      if (address.trim() === '') next.delete(node);
      else next.set(node, address.trim());
      return next;
    });
  }
  /** Gives every node that has none the next free one of its subnet; those that have one keep it. */
  protected fillIn(): void {
    const next = new Map(this.addresses());
    for (const subnet of this.subnets()) {
      const without = this.rows().filter((row) => row.address === '' && row.subnet === subnet.id);
      const taken = new Map([...next].map(([node, address]) => [address, node]));
      freeAddresses(subnet, taken, without.length).forEach((address, i) => {
        const row = without[i];
        if (row) next.set(row.node, address);
      });
    }
    this.addresses.set(next);
    const left = this.rows().filter((row) => row.address === '').length;
    this.said.set(
      left > 0 ? { text: `${counted(left, 'node')} left without: their subnet is full. Make the router’s pool smaller.`, bad: true } : null,
    );
  }
  protected async save(): Promise<void> {
    this.saving.set(true);
    try {
      await this.api.call(addressing.setAddresses, {
        body: {
          from: this.addressesFrom(),
          addressing: { how: this.how(), subnets: [...this.subnets()] },
          addresses: Object.fromEntries(this.addresses()),
        },
      });
      this.kept.reload();
      this.said.set({ text: 'Kept.', bad: false });
    } catch (error) {
      const current = error instanceof ApiError ? addressesReply.safeParse(error.current) : null;
      if (current?.success) this.theirs.set(current.data);
      else this.said.set({ text: messageOf(error), bad: true });
    }
    this.saving.set(false);
  }
  protected csv(): void {
    downloadCsv('addresses.csv', [
      ['node', 'hardware id', 'address', 'subnet'],
      ...this.rows().map((row) => [row.node, row.hardwareId ?? '', row.address, row.subnet]),
    ]);
  }
}
