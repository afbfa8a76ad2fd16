import { addressesReply, addressing, type Subnet } from '@dewpost/contract';
import { freeAddresses, ipv4ToNumber, poolSize, usableHosts } from '@dewpost/core/network';
import { counted } from '@dewpost/core/quantity';
import { BreakpointObserver } from '@angular/cdk/layout';
import { CdkFixedSizeVirtualScroll, CdkVirtualScrollViewport } from '@angular/cdk/scrolling';
import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  Injector,
  resource,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatIcon } from '@angular/material/icon';
import { MatInput } from '@angular/material/input';
import { MatProgressBar } from '@angular/material/progress-bar';
import { MatRadioButton, MatRadioGroup } from '@angular/material/radio';
import { MatSort, MatSortHeader } from '@angular/material/sort';
import { MatTableDataSource, MatTableModule } from '@angular/material/table';
import { MatTooltip } from '@angular/material/tooltip';
import { Store } from '@ngrx/store';
import { Plus } from 'lucide';
import { map } from 'rxjs';
import * as z from 'zod';
import { Api, ApiError, messageOf } from '../../data/api';
import { placeFeature } from '../../data/reducers';
import { ChangedMeanwhile } from '../../parts/changed-meanwhile';
import { Counted } from '../../parts/counted';
import { downloadCsv } from '../../parts/download-csv';
import { EmptyIsNull } from '../../parts/empty-is-null';
import { useIcons } from '../../parts/icons';
import { AtOnceErrorStateMatcher, problemsIn, saidAbout } from '../../parts/said';
import { addItem, bodyOf, draftOf, placeProblem, setItems, setKeys, toFirstProblem, zodForm } from '../../parts/zod-forms';
import { askBeforeClosing, type HoldsUnsaved } from '../../parts/unsaved';
import { PlanPages } from '../common/plan-pages';
import { addressFindings, HOW, SITE } from './address-rules';
import { Networks } from './networks';
import type { Outcome } from './outcome';
import { type AddressesReply, apartFrom } from './apart';

interface NodeRow {
  readonly node: string;
  readonly subnet: string;
  readonly hardwareId: string | null;
}

const body = addressing.setAddresses.body;
/** A node may be without an address while the form is filled in. */
const addressesForm = body.omit({ from: true }).extend({
  addresses: z.record(z.string(), body.shape.addresses.valueType.nullable()),
});

/** Networks in the order that nodes try them, and the address of every node. */
@Component({
  selector: 'dp-addresses',
  imports: [
    CdkFixedSizeVirtualScroll,
    CdkVirtualScrollViewport,
    ChangedMeanwhile,
    Counted,
    EmptyIsNull,
    MatButton,
    MatFormFieldModule,
    MatIcon,
    MatInput,
    MatProgressBar,
    MatRadioButton,
    MatRadioGroup,
    MatSort,
    MatSortHeader,
    MatTableModule,
    MatTooltip,
    Networks,
    PlanPages,
    ReactiveFormsModule,
  ],
  templateUrl: './addresses.html',
  styleUrl: './addresses.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Addresses implements HoldsUnsaved {
  private readonly api = inject(Api);
  private readonly injector = inject(Injector);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly me = inject(Store).selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  protected readonly choices = HOW;
  protected readonly nets = resource({ params: () => this.maker() || undefined, loader: () => this.api.call(addressing.networks, {}) });
  private readonly kept = resource({ params: () => this.maker() || undefined, loader: () => this.api.call(addressing.addresses, {}) });
  protected readonly problem = computed(() => {
    const error = this.nets.error() ?? this.kept.error();
    return error ? messageOf(error) : null;
  });
  // Before the form: its check is run when it is made.
  private readonly nodes = computed(() => (this.kept.hasValue() ? this.kept.value().nodes : []));
  protected readonly loaded = computed(() => this.nets.hasValue() && this.kept.hasValue());
  protected readonly networkCount = signal(0);
  protected readonly networksUnsaved = signal(false);
  protected readonly said = saidAbout;
  protected readonly atOnce = new AtOnceErrorStateMatcher();

  protected readonly form = zodForm(
    addressesForm,
    { addressing: { how: 'reserved', subnets: [SITE] }, addresses: {} },
    {
      check: ({ addressing: { subnets }, addresses }) =>
        addressFindings(
          subnets as Subnet[],
          addresses,
          untracked(() => this.nodes()),
        ),
    },
  );
  protected readonly draft = draftOf(this.form);
  protected readonly outcome = signal<Outcome | null>(null);
  protected readonly saving = signal(false);
  protected readonly how = computed(() => this.draft().addressing.how ?? 'reserved');
  protected readonly why = computed(() => HOW.find((choice) => choice.how === this.how())?.why ?? '');
  protected readonly free = computed(() =>
    this.draft().addressing.subnets.map(({ prefix, poolFirst, poolLast }) =>
      prefix === null ? 0 : usableHosts(prefix) - (poolSize(poolFirst ?? '', poolLast ?? '') ?? 0) - 1,
    ),
  );
  protected readonly rows = computed(() =>
    this.nodes().map(({ node, subnet, hardwareId }): NodeRow => ({ node, subnet: this.subnetOf(subnet)?.id ?? '', hardwareId })),
  );
  protected readonly missing = computed(() => this.rows().filter(({ node }) => this.addressOf(node) === null).length);
  protected readonly wrong = computed(() => {
    this.draft();
    return problemsIn(this.form);
  });
  /** What is wrong in the list, said above it: a row of 40 px has no room for a sentence, and a tooltip no finger. */
  protected readonly clashes = computed(() => {
    this.draft();
    return this.rows().flatMap(({ node }) => {
      const text = saidAbout(this.form.controls.addresses.controls[node] ?? null);
      return text === null ? [] : [{ node, text }];
    });
  });

  /** The version that was begun from; and what somebody else has saved since, beside what was typed. */
  private from = 0;
  protected readonly theirs = signal<AddressesReply | null>(null);
  protected readonly apart = computed(() => {
    const theirs = this.theirs();
    if (theirs === null) return [];
    const { addressing: plan, addresses } = this.draft();
    return apartFrom(theirs, { how: plan.how ?? 'reserved', subnets: plan.subnets as Subnet[] }, addresses);
  });

  protected readonly columns = ['margin', 'node', 'address', 'subnet', 'board'];
  protected readonly source = new MatTableDataSource<NodeRow>();
  private readonly sort = viewChild(MatSort);
  private readonly list = viewChild(CdkVirtualScrollViewport);
  protected readonly phone = toSignal(
    inject(BreakpointObserver)
      .observe('(max-width: 899px)')
      .pipe(map(({ matches }) => matches)),
    { initialValue: false },
  );
  protected readonly byNode = (_: number, row: NodeRow): string => row.node;

  constructor() {
    askBeforeClosing(() => this.unsaved());
    useIcons({ plus: Plus });
    this.source.sortingDataAccessor = (row, column) =>
      column === 'address'
        ? (ipv4ToNumber(this.addressOf(row.node) ?? '') ?? -1)
        : column === 'board'
          ? (row.hardwareId ?? '')
          : column === 'subnet'
            ? row.subnet
            : row.node;
    effect(() => (this.source.sort = this.sort() ?? null));
    effect(() => (this.source.data = this.rows()));
    effect(() => {
      if (!this.kept.hasValue()) return;
      const kept = this.kept.value();
      untracked(() => this.show(kept));
    });
  }

  unsaved(): string | null {
    if (this.networksUnsaved()) return 'The list of networks';
    return this.form.dirty ? 'The plan of addresses' : null;
  }
  private show({ version, addressing: plan, nodes }: AddressesReply): void {
    this.from = version;
    const { addressing: planned, addresses } = this.form.controls;
    if (plan) {
      setItems(planned.controls.subnets, plan.subnets);
      planned.controls.how.setValue(plan.how);
    }
    const given = Object.fromEntries(nodes.map(({ node, address }) => [node, address]));
    setKeys(addresses, given);
    addresses.setValue(given);
    this.form.markAsPristine();
  }
  private addressOf(node: string): string | null {
    return this.draft().addresses[node]?.trim() || null;
  }
  private subnetOf(id: string): Subnet | undefined {
    const subnets = this.draft().addressing.subnets as Subnet[];
    return subnets.find((subnet) => subnet.id === id) ?? subnets[0];
  }
  protected addSubnet(): void {
    const list = this.form.controls.addressing.controls.subnets;
    const base = `10.7.${list.length}`;
    addItem(list, {
      id: `gateway-${list.length}`,
      network: `${base}.0`,
      prefix: 24,
      router: `${base}.1`,
      poolFirst: `${base}.100`,
      poolLast: `${base}.199`,
    });
  }
  protected dropSubnet(i: number): void {
    this.form.controls.addressing.controls.subnets.removeAt(i);
  }
  /** Gives every node that has none the next free one of its subnet; those that have one keep it. */
  protected fillIn(): void {
    const { addressing: plan, addresses } = this.form.getRawValue();
    const next = new Map(Object.entries(addresses).flatMap(([node, address]) => (address ? [[node, address] as const] : [])));
    for (const subnet of plan.subnets as Subnet[]) {
      const without = this.rows().filter((row) => !next.has(row.node) && row.subnet === subnet.id);
      const taken = new Map([...next].map(([node, address]) => [address, node]));
      freeAddresses(subnet, taken, without.length).forEach((address, i) => {
        const row = without[i];
        if (row) next.set(row.node, address);
      });
    }
    this.form.controls.addresses.patchValue(Object.fromEntries(next));
    this.form.markAsDirty();
    const left = this.missing();
    this.outcome.set(
      left > 0 ? { text: `${counted(left, 'node')} left without: their subnet is full. Make the router’s pool smaller.`, bad: true } : null,
    );
  }
  /** Brings a node's row into view and puts the cursor into its address. */
  protected goTo(node: string): void {
    const sort = this.sort();
    const rows = sort ? this.source.sortData([...this.source.filteredData], sort) : this.source.filteredData;
    this.list()?.scrollToIndex(Math.max(0, rows.findIndex((row) => row.node === node) - 1));
    afterNextRender(() => this.host.nativeElement.querySelector<HTMLElement>(`[aria-label="Address of ${node}"]`)?.focus(), {
      injector: this.injector,
    });
  }
  protected async save(): Promise<void> {
    const checked = bodyOf(this.form, addressesForm);
    if (!checked) {
      toFirstProblem(this.host);
      return;
    }
    const addresses = Object.fromEntries(
      Object.entries(checked.addresses).flatMap(([node, address]) => (address ? [[node, address]] : [])),
    );
    this.saving.set(true);
    try {
      this.kept.set(await this.api.call(addressing.setAddresses, { body: { from: this.from, addressing: checked.addressing, addresses } }));
      this.outcome.set({ text: 'Kept.', bad: false });
    } catch (error) {
      const current = error instanceof ApiError ? addressesReply.safeParse(error.current) : null;
      if (current?.success) this.theirs.set(current.data);
      else {
        this.outcome.set({ text: placeProblem(this.form, error) ?? 'Not kept: see the fields.', bad: true });
        toFirstProblem(this.host);
      }
    }
    this.saving.set(false);
  }
  protected takeTheirs(theirs: AddressesReply): void {
    this.theirs.set(null);
    this.kept.set(theirs);
  }
  protected saveMine(theirs: AddressesReply): void {
    this.theirs.set(null);
    this.from = theirs.version;
    void this.save();
  }
  protected csv(): void {
    downloadCsv('addresses.csv', [
      ['node', 'hardware id', 'address', 'subnet'],
      ...this.rows().map((row) => [row.node, row.hardwareId ?? '', this.addressOf(row.node) ?? '', row.subnet]),
    ]);
  }
}
