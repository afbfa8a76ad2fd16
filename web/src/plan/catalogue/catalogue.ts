import { plan as planCalls } from '@dewpost/contract';
import { profileSchema, type Profile } from '@dewpost/core/circuit';
import { counted, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, effect, inject, resource, signal, viewChild } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormControl, ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSort, MatSortHeader } from '@angular/material/sort';
import { MatTableDataSource, MatTableModule } from '@angular/material/table';
import { MatTooltip } from '@angular/material/tooltip';
import { Store } from '@ngrx/store';
import { Api, ApiError, messageOf } from '../../data/api';
import { placeFeature } from '../../data/reducers';
import { ChangedMeanwhile, differences } from '../../parts/changed-meanwhile';
import { FileButton } from '../../parts/file-button';
import { JsonEditor } from '../../parts/json-editor';
import { profilesOf } from '../../data/catalogue-reply';
import { askBeforeClosing, type HoldsUnsaved } from '../../parts/unsaved';
import { PlanPages } from '../common/plan-pages';
import { duplicateOf, readProfile, textOf } from './profile-text';
import { download } from '../../parts/download-file';

const KINDS: readonly { kind: Profile['kind']; says: string }[] = [
  { kind: 'board', says: 'Boards' },
  { kind: 'part', says: 'Parts' },
  { kind: 'supply', says: 'Supplies' },
  { kind: 'antenna', says: 'Antennas' },
  { kind: 'gateway', says: 'Gateways and repeaters' },
];
interface ProfileRow {
  readonly profile: Profile;
  readonly own: boolean;
  readonly facts: string;
}
const FILE_BYTES_MOST = 200_000;

/** The catalogue: what ships and what was added here, each one JSON file that can be read, changed, brought in and taken out. */
@Component({
  selector: 'dp-catalogue',
  imports: [
    ChangedMeanwhile,
    FileButton,
    JsonEditor,
    MatButton,
    MatButtonToggleModule,
    MatFormFieldModule,
    MatInput,
    MatSort,
    MatSortHeader,
    MatTableModule,
    MatTooltip,
    PlanPages,
    ReactiveFormsModule,
  ],
  templateUrl: './catalogue.html',
  styleUrl: './catalogue.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class CataloguePage implements HoldsUnsaved {
  private readonly api = inject(Api);
  private readonly me = inject(Store).selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  protected readonly kinds = KINDS;
  protected readonly read = resource({ loader: () => this.api.call(planCalls.catalogue, {}) });
  protected readonly problem = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly kindField = new FormControl<Profile['kind']>('part', { nonNullable: true });
  protected readonly searchField = new FormControl('', { nonNullable: true });
  private readonly kind = toSignal(this.kindField.valueChanges, { initialValue: this.kindField.value });
  private readonly search = toSignal(this.searchField.valueChanges, { initialValue: '' });
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  /** The text in hand, and the id it was opened from. */
  protected readonly text = signal<string | null>(null);
  private opened: string | null = null;
  private readonly all = computed(() => (this.read.hasValue() ? profilesOf(this.read.value()) : []));
  protected readonly own = computed(() => new Set(this.read.hasValue() ? this.read.value().own : []));
  private readonly rows = computed((): ProfileRow[] => {
    const wanted = this.search().trim().toLowerCase();
    return this.all()
      .filter(
        (profile) => profile.kind === this.kind() && (wanted === '' || `${profile.name} ${profile.id}`.toLowerCase().includes(wanted)),
      )
      .map((profile) => ({ profile, own: this.own().has(profile.id), facts: factsOf(profile) }));
  });
  protected readonly columns = ['mark', 'name', 'facts', 'figures', 'price', 'tools'];
  protected readonly source = new MatTableDataSource<ProfileRow>();
  private readonly sort = viewChild(MatSort);
  protected readonly byId = (_: number, row: ProfileRow): string => row.profile.id;
  protected readonly originOf = ({ origin }: Profile): string => (origin === 'memory' ? 'remembered: check them' : origin);
  protected readonly counts = computed(
    () => new Map(KINDS.map(({ kind }) => [kind, this.all().filter((profile) => profile.kind === kind).length])),
  );
  protected readonly verdict = computed(() => {
    const text = this.text();
    return text === null ? null : readProfile(text);
  });
  protected readonly problems = computed(() => {
    const verdict = this.verdict();
    return verdict && 'problems' in verdict ? verdict.problems : [];
  });
  protected readonly replaces = computed(() => {
    const verdict = this.verdict();
    if (!verdict || !('profile' in verdict)) return '';
    const known = this.all().find((profile) => profile.id === verdict.profile.id);
    if (!known) return `Adds ${verdict.profile.id}.`;
    return this.own().has(known.id) ? `Replaces your ${known.id}.` : `Stands in for the shipped ${known.id} until yours is removed.`;
  });

  constructor() {
    askBeforeClosing(() => this.unsaved());
    this.source.sortingDataAccessor = ({ profile }, column) =>
      column === 'price' ? profile.price : column === 'figures' ? this.originOf(profile) : profile.name;
    effect(() => (this.source.sort = this.sort() ?? null));
    effect(() => (this.source.data = this.rows()));
  }

  /** A profile in hand that is not as it was opened. */
  unsaved(): string | null {
    return this.text() !== null && this.text() !== this.opened ? 'The profile' : null;
  }

  protected open(profile: Profile): void {
    this.opened = textOf(profile);
    this.text.set(this.opened);
    this.said.set(null);
  }
  protected duplicate(profile: Profile): void {
    this.open(duplicateOf(profile, new Set(this.all().map((one) => one.id))));
  }
  protected close(): void {
    this.text.set(null);
    this.opened = null;
  }
  protected export(profile: Profile): void {
    download(`${profile.id}.json`, 'application/json', textOf(profile));
  }
  protected async import(file: File): Promise<void> {
    if (file.size > FILE_BYTES_MOST) {
      this.said.set({
        text: `${file.name} has ${Math.round(file.size / 1000)} kB: one profile has a few. Bring in one file a profile.`,
        bad: true,
      });
      return;
    }
    this.text.set(await file.text());
    this.opened = null;
    this.said.set({ text: `${file.name} is open below. Nothing is added until you keep it.`, bad: false });
  }
  protected async keep(): Promise<void> {
    const verdict = this.verdict();
    if (!verdict || !('profile' in verdict)) return;
    const { profile } = verdict;
    await this.trying(async () => {
      await this.api.call(planCalls.addProfile, { body: profile, query: { from: this.from()[profile.id] ?? 0 } });
      this.read.reload();
      this.close();
      this.kindField.setValue(profile.kind);
      this.said.set({ text: `${profile.name} is kept. Sheets use it from now on.`, bad: false });
    });
  }
  protected async remove(profile: Profile): Promise<void> {
    await this.trying(async () => {
      await this.api.call(planCalls.removeProfile, { params: { id: profile.id } });
      this.read.reload();
      this.text.set(textOf(profile));
      this.said.set({ text: `${profile.name} is removed. It stands below once more: keep it to have it back.`, bad: false });
    });
  }
  /** What somebody else has kept since, of the profile in hand. */
  protected readonly theirs = signal<{ profile: Profile; version: number } | null>(null);
  private readonly overwrites = signal<Readonly<Record<string, number>>>({});
  private readonly from = computed<Readonly<Record<string, number>>>(() => ({
    ...(this.read.hasValue() ? this.read.value().versions : {}),
    ...this.overwrites(),
  }));
  protected readonly apart = computed(() => {
    const [theirs, verdict] = [this.theirs(), this.verdict()];
    if (!theirs || !verdict || !('profile' in verdict)) return [];
    const keys = [...new Set([...Object.keys(theirs.profile), ...Object.keys(verdict.profile)])];
    return differences(
      Object.fromEntries(keys.map((key) => [key, key])),
      verdict.profile as object as Record<string, unknown>,
      theirs.profile as object as Record<string, unknown>,
    );
  });
  protected takeTheirs({ profile, version }: { profile: Profile; version: number }): void {
    this.open(profile);
    this.seen(profile.id, version);
  }
  protected saveMine({ profile, version }: { profile: Profile; version: number }): void {
    this.seen(profile.id, version);
    void this.keep();
  }
  private seen(id: string, version: number): void {
    this.theirs.set(null);
    this.overwrites.update((all) => ({ ...all, [id]: version }));
  }

  private async trying(act: () => Promise<void>): Promise<void> {
    try {
      await act();
    } catch (error) {
      const current = error instanceof ApiError ? profileSchema.safeParse(error.current) : null;
      if (current?.success) {
        const { versions } = await this.api.call(planCalls.catalogue, {});
        this.theirs.set({ profile: current.data, version: versions[current.data.id] ?? 0 });
        return;
      }
      this.said.set({ text: messageOf(error), bad: true });
    }
  }
}

function factsOf(profile: Profile): string {
  switch (profile.kind) {
    case 'board':
      return `${profile.pins.filter((pin) => pin.reserved === null).length} free pins, ${formatNumber(profile.draw.sleepMicroamps)} µA asleep, ${profile.firstWrite}`;
    case 'part':
      return [
        ...profile.points.map((point) => `${point.label.toLowerCase()}${point.unit ? ` in ${point.unit}` : ''}`),
        ...(profile.output ? ['an output'] : []),
      ].join(', ');
    case 'supply':
      return `${profile.volts.join(' to ')} V${profile.battery ? `, ${formatNumber(profile.battery.capacityMilliampHours)} mAh` : ''}`;
    case 'antenna':
      return `${profile.gainDbi} dBi${profile.beamDegrees < 360 ? `, ${profile.beamDegrees}° wide` : ', all round'}`;
    case 'gateway':
      return `${profile.uplink}, ${counted(profile.nodes, 'node')}, ${profile.transmitDbm} dBm`;
  }
}
