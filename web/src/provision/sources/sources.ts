import { plan, provision, sources, sourcePointSchema, type NamedPlace } from '@dewpost/contract';
import { formatDuration, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { type FormGroupDirective, ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatIcon } from '@angular/material/icon';
import { MatInput } from '@angular/material/input';
import { Store } from '@ngrx/store';
import { Plus } from 'lucide';
import { Api, messageOf } from '../../data/api';
import { allLatest, allNodes, allPoints, placeFeature } from '../../data/reducers';
import { Clock } from '../../parts/clock';
import { useIcons } from '../../parts/icons';
import { NumberField } from '../../parts/number-field';
import { PlainTable, type PlainColumn } from '../../parts/plain-table';
import { bodyOf, placeProblem, saying, zodForm } from '../../parts/zod-forms';
import { NamedPlaceForm } from '../named-place';
import { ProvisionPages } from '../provision-pages';
import { ReadyLines } from '../../parts/ready-lines';
import { sourceLines } from '../../parts/source-lines';
import { unknownPoints } from './unknown-points';

const COLUMNS: readonly PlainColumn[] = [
  { id: 'label', label: 'What', kind: 'head' },
  { id: 'name', label: 'Point', kind: 'figure' },
  { id: 'range', label: 'Shown over', kind: 'figure' },
  { id: 'now', label: 'Now', kind: 'figure' },
];
// The form holds every field; what may be left out is the contract's business.
const newPoint = sourcePointSchema.safeExtend({ min: sourcePointSchema.shape.min.unwrap(), max: sourcePointSchema.shape.max.unwrap() });
const NO_POINT = { name: '', label: '', unit: '', min: 0, max: 100 };

/** Sources: anything that can post. Made in two fields; what it is to send stands here to be copied, and what has come. */
@Component({
  selector: 'dp-sources',
  imports: [
    MatButton,
    MatFormFieldModule,
    MatIcon,
    MatInput,
    NamedPlaceForm,
    NumberField,
    PlainTable,
    ProvisionPages,
    ReactiveFormsModule,
    ReadyLines,
  ],
  templateUrl: './sources.html',
  styleUrl: './sources.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Sources {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly clock = inject(Clock);
  private readonly place = this.store.selectSignal(placeFeature.selectPlaceState);
  private readonly nodes = this.store.selectSignal(allNodes.selectAll);
  private readonly allOfPoints = this.store.selectSignal(allPoints.selectAll);
  private readonly latest = this.store.selectSignal(allLatest.selectEntities);
  protected readonly maker = computed(() => this.place().me?.role === 'maker');
  protected readonly loaded = computed(() => this.place().loaded);
  protected readonly all = computed(() => this.nodes().filter(({ kind }) => kind === 'source'));
  protected readonly columns = COLUMNS;
  private readonly picked = signal<string | null>(null);
  protected readonly shown = computed(() => this.all().find(({ id }) => id === this.picked()) ?? this.all()[0] ?? null);
  protected readonly making = signal(false);
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  /** Keys that were given out on this page, by source. */
  private readonly keys = signal<Readonly<Record<string, string>>>({});
  protected readonly key = computed(() => this.keys()[this.shown()?.id ?? ''] ?? null);

  private readonly way = resource({ loader: () => this.api.call(sources.way, {}) });
  /** Read anew when something was heard, every five seconds at most: a busy source posts faster than anybody reads. */
  private readonly log = resource({
    params: () => {
      const source = this.shown();
      return source ? { id: source.id, heard: Math.floor((source.heardAt ?? 0) / 5000) } : undefined;
    },
    loader: ({ params: { id } }) => this.api.call(plan.nodeLog, { params: { id } }),
  });
  protected readonly points = computed(() => this.allOfPoints().filter(({ node }) => node === this.shown()?.id));
  protected readonly rows = computed(() =>
    this.points().map(({ id, label, name, unit, min, max, decimals }) => ({
      label,
      name,
      range: `${min} to ${max} ${unit}`,
      now: `${formatNumber(this.latest()[id]?.value, decimals)} ${unit}`,
    })),
  );
  protected readonly unknown = computed(() =>
    unknownPoints(this.log.hasValue() ? this.log.value() : [], new Set(this.points().map(({ name }) => name))),
  );
  protected readonly lines = computed(() => {
    const source = this.shown();
    if (!source || !this.way.hasValue()) return [];
    const { host, httpPort, mqttPort } = this.way.value();
    const base = this.place().site?.address ?? `http://${host}:${httpPort}`;
    return sourceLines({ base, host, mqttPort }, source.id, this.points());
  });

  protected readonly point = zodForm(newPoint, NO_POINT);
  protected readonly problemOf = saying(this.point);

  constructor() {
    useIcons({ plus: Plus });
  }

  protected ago(at: number): string {
    return `${formatDuration(Math.max(0, this.clock.now() - at))} ago`;
  }
  protected pick(id: string): void {
    this.picked.set(id);
    this.making.set(false);
  }
  protected readonly make = async (wanted: NamedPlace): Promise<void> => {
    const { id, key } = await this.api.call(sources.add, { body: { ...wanted, points: [] } });
    this.keys.update((keys) => ({ ...keys, [id]: key }));
    this.pick(id);
    this.said.set(null);
  };
  protected async addPoint(id: string, form: FormGroupDirective): Promise<void> {
    const body = bodyOf(this.point, newPoint);
    if (!body) return;
    try {
      await this.api.call(sources.addPoints, { params: { id }, body: { points: [body] } });
      form.resetForm(NO_POINT);
      this.said.set(null);
    } catch (error) {
      this.said.set({ text: placeProblem(this.point, error) ?? 'Not added: see the fields.', bad: true });
    }
  }
  protected async reveal(id: string): Promise<void> {
    await this.trying(async () => {
      const { key } = await this.api.call(plan.revealKey, { params: { id } });
      this.keys.update((keys) => ({ ...keys, [id]: key }));
    });
  }
  /** The old key is worthless at once. */
  protected async newKey(id: string): Promise<void> {
    await this.trying(async () => {
      await this.api.call(provision.revokeKey, { params: { id } });
      const { key } = await this.api.call(plan.revealKey, { params: { id } });
      this.keys.update((keys) => ({ ...keys, [id]: key }));
      this.said.set({ text: 'Its old key is worthless from now on: put the new one into the script.', bad: false });
    });
  }
  private async trying(act: () => Promise<void>): Promise<void> {
    try {
      await act();
    } catch (error) {
      this.said.set({ text: messageOf(error), bad: true });
    }
  }
}
