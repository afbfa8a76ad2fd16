import { adopted, plan, sources, type NamedPlace } from '@dewpost/contract';
import { formatDuration, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, effect, inject, resource, signal, untracked } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { MatButton } from '@angular/material/button';
import { MatIcon } from '@angular/material/icon';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Plus } from 'lucide';
import { interval } from 'rxjs';
import { Api, messageOf } from '../../data/api';
import { allNodes, placeFeature } from '../../data/reducers';
import { Clock } from '../../parts/clock';
import { useIcons } from '../../parts/icons';
import { ReadyLines } from '../../parts/ready-lines';
import { askBeforeClosing, type HoldsUnsaved } from '../../parts/unsaved';
import { TextField } from '../../parts/value-field';
import { NamedPlaceForm } from '../named-place';
import { ProvisionPages } from '../provision-pages';
import { heardRows, keyOf, nameFor, type DraftEntry, type LeafRow } from './heard-rows';
import { MapEditor } from './map-editor';

const LOOK_MS = 2000;
/** A row, and a column of the drawing, px. */
const ROW = 24;
const COLUMN = 82;
/** Four figures, as far as there are any. */
const decimalsOf = (value: number): number => (String(Number(value.toPrecision(4))).split('.')[1] ?? '').length;

/** Nodes whose firmware stays as it is: what they say on the left, which points it means on the right, a knot where the two meet. */
@Component({
  selector: 'dp-adopted',
  imports: [MapEditor, MatButton, MatIcon, NamedPlaceForm, ProvisionPages, ReadyLines, RouterLink, TextField],
  templateUrl: './adopted.html',
  styleUrl: './adopted.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class AdoptedPage implements HoldsUnsaved {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly clock = inject(Clock);
  private readonly place = this.store.selectSignal(placeFeature.selectPlaceState);
  private readonly nodes = this.store.selectSignal(allNodes.selectAll);
  protected readonly maker = computed(() => this.place().me?.role === 'maker');
  protected readonly loaded = computed(() => this.place().loaded);
  protected readonly all = computed(() => this.nodes().filter(({ kind }) => kind === 'adopted'));
  private readonly picked = signal<string | null>(null);
  protected readonly shown = computed(() => this.all().find(({ id }) => id === this.picked()) ?? this.all()[0] ?? null);
  private readonly shownId = computed(() => this.shown()?.id);
  protected readonly making = signal(false);
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  private readonly passwords = signal<Readonly<Record<string, string>>>({});
  protected readonly password = computed(() => this.passwords()[this.shown()?.id ?? ''] ?? null);

  private readonly way = resource({ loader: () => this.api.call(sources.way, {}) });
  private readonly read = resource({
    params: () => this.shownId(),
    loader: ({ params: id }) => this.api.call(adopted.read, { params: { id } }),
  });
  /** What was read last, also while it is being read again. */
  protected readonly known = computed(() => {
    const read = this.read.hasValue() ? this.read.value() : undefined;
    return read && read.id === this.shownId() ? read : null;
  });
  /** The map as it is being made; `null`: as it is kept. */
  private readonly draft = signal<readonly DraftEntry[] | null>(null);
  protected readonly map = computed<readonly DraftEntry[]>(() => this.draft() ?? this.known()?.map ?? []);
  protected readonly changed = computed(() => this.draft() !== null);
  protected readonly rows = computed(() => heardRows(this.known()?.heard ?? [], this.map()));
  /** The line that is being said something about, and what stood there when it was opened: what comes meanwhile changes nothing that is typed. */
  protected readonly open = signal<{ key: string; entry: DraftEntry } | null>(null);
  protected readonly asked = computed(
    () => this.rows().filter((row) => row.kind === 'leaf' && row.live !== null && 'why' in row.live).length,
  );
  protected readonly columns = computed(() => [...new Map(this.map().map((entry) => [entry.point, entry])).values()]);
  protected readonly drawing = computed(() => this.draw());
  protected readonly columnWidth = COLUMN;
  protected readonly lines = computed(() => {
    const node = this.shown();
    if (!node || !this.way.hasValue()) return [];
    const { host, mqttPort } = this.way.value();
    const to = `-h ${host} -p ${mqttPort} -u ${node.id} -P "$PASSWORD"`;
    return [
      { title: 'A number', about: 'over MQTT', text: `mosquitto_pub ${to} -t ${node.id}/temperature -m 21.4` },
      { title: 'JSON', about: 'several at once', text: `mosquitto_pub ${to} -t ${node.id}/state -m '{"temp":{"top":2314},"door":"shut"}'` },
    ];
  });
  constructor() {
    useIcons({ plus: Plus });
    askBeforeClosing(() => this.unsaved());
    interval(LOOK_MS)
      .pipe(takeUntilDestroyed())
      .subscribe(() => {
        if (this.shownId() !== undefined && !document.hidden && !this.read.isLoading()) this.read.reload();
      });
    effect(() => {
      this.shownId();
      untracked(() => {
        this.draft.set(null);
        this.open.set(null);
      });
    });
  }

  unsaved(): string | null {
    return this.changed() ? `What the messages of ${this.shown()?.name ?? 'the node'} mean` : null;
  }
  protected ago(at: number): string {
    return `${formatDuration(Math.max(0, this.clock.now() - at))} ago`;
  }
  protected every(ms: number | null): string {
    return ms === null ? 'once' : `every ${formatDuration(ms)}`;
  }
  protected valueOf(row: LeafRow): string {
    return typeof row.value === 'string' ? `“${row.value}”` : row.value === null ? (row.live === null ? '' : 'null') : String(row.value);
  }
  /** What a point shows now, by its newest row. */
  protected now(point: string): { text: string; why: string | null } {
    const row = this.rows().find((one): one is LeafRow => one.kind === 'leaf' && one.entry?.point === point && one.live !== null);
    if (!row?.live) return { text: '–', why: null };
    return 'value' in row.live
      ? { text: `${formatNumber(row.live.value, decimalsOf(row.live.value))} ${row.entry?.unit ?? ''}`.trim(), why: null }
      : { text: '?', why: row.live.why };
  }
  protected scale({ factor, offset, unit }: DraftEntry): string {
    return [unit || 'no unit', ...(factor === 1 ? [] : [`× ${factor}`]), ...(offset === 0 ? [] : [`+ ${offset}`])].join(', ');
  }
  protected pick(id: string): void {
    this.picked.set(id);
    this.making.set(false);
  }
  protected toggle(row: LeafRow): void {
    this.open.set(this.open()?.key === row.key ? null : { key: row.key, entry: this.entryOf(row) });
  }
  private entryOf(row: LeafRow): DraftEntry {
    if (row.entry) return row.entry;
    const taken = new Set(this.map().map(({ point }) => point));
    const point = nameFor(row.topic, row.pointer, taken);
    const texts = typeof row.value === 'string' && Number.isNaN(Number(row.value)) ? { [row.value]: 0 } : {};
    return { topic: row.topic, pointer: row.pointer, point, label: '', unit: '', factor: 1, offset: 0, texts, min: 0, max: 100 };
  }
  protected tie(entry: DraftEntry): void {
    const key = keyOf(entry.topic, entry.pointer);
    const others = this.map().filter((one) => keyOf(one.topic, one.pointer) !== key);
    const at = this.map().findIndex((one) => keyOf(one.topic, one.pointer) === key);
    const next = [...others];
    next.splice(at === -1 ? next.length : at, 0, entry);
    this.draft.set(next);
    this.open.set(null);
  }
  protected leaveOut(row: LeafRow): void {
    this.draft.set(this.map().filter((one) => keyOf(one.topic, one.pointer) !== row.key));
    this.open.set(null);
  }
  protected drop(): void {
    this.draft.set(null);
    this.open.set(null);
  }

  protected readonly make = async (wanted: NamedPlace): Promise<void> => {
    const { id, password } = await this.api.call(adopted.add, { body: wanted });
    this.passwords.update((known) => ({ ...known, [id]: password }));
    this.pick(id);
    this.said.set(null);
  };
  protected async keep(id: string): Promise<void> {
    await this.trying(async () => {
      await this.api.call(adopted.setMap, { params: { id }, body: this.map().map((entry) => ({ ...entry, texts: { ...entry.texts } })) });
      this.draft.set(null);
      this.read.reload();
      this.said.set({ text: 'Kept: what comes from now on is stored.', bad: false });
    });
  }
  protected async setFilters(id: string, line: string): Promise<void> {
    await this.trying(async () => {
      await this.api.call(adopted.setFilters, { params: { id }, body: { filters: line.split(/\s+/).filter(Boolean) } });
      this.read.reload();
      this.said.set({ text: 'It may publish there from now on.', bad: false });
    });
  }
  protected async reveal(id: string): Promise<void> {
    await this.trying(async () => {
      const { key } = await this.api.call(plan.revealKey, { params: { id } });
      this.passwords.update((known) => ({ ...known, [id]: key }));
    });
  }

  /** Wires from the values to the columns of their points, with a knot where they meet. */
  private draw(): { width: number; height: number; wires: string; knots: { x: number; y: number; asked: boolean }[] } {
    const columns = this.columns();
    const rows = this.rows();
    const width = columns.length * COLUMN;
    const height = rows.length * ROW;
    const knots = rows.flatMap((row, i) => {
      const at = row.kind === 'leaf' && row.entry ? columns.findIndex(({ point }) => point === row.entry?.point) : -1;
      const asked = row.kind === 'leaf' && row.live !== null && 'why' in row.live;
      return at === -1 ? [] : [{ x: at * COLUMN + COLUMN / 2, y: i * ROW + ROW / 2, asked }];
    });
    const wires = knots.map(({ x, y }) => `M0 ${y}H${x}V${height}`).join('');
    return { width, height, wires, knots };
  }

  private async trying(act: () => Promise<void>): Promise<void> {
    try {
      await act();
    } catch (error) {
      this.said.set({ text: messageOf(error), bad: true });
    }
  }
}
