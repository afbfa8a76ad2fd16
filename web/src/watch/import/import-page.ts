import { imports, importSchema, type Import, type ImportSettings } from '@dewpost/contract';
import { counted, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, resource, signal, untracked } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatProgressBar } from '@angular/material/progress-bar';
import { MatRadioModule } from '@angular/material/radio';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../../data/api';
import { allPoints, placeFeature } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import { nodeNames } from '../../data/node-names';
import { Clock } from '../../parts/clock';
import { FileButton } from '../../parts/file-button';
import { PlainTable, type PlainColumn } from '../../parts/plain-table';
import { PointPicker } from '../../parts/point-picker';
import { dayAndTime, wholeDate } from '../../parts/times';
import { WatchPages } from '../watch-pages';
import { Knots, type KnotRow } from './knots';

const BUSY: readonly Import['state'][] = ['reading', 'keeping', 'removing'];
const STATE_WORDS: Record<Import['state'], string> = {
  reading: 'being read',
  read: 'read, not kept',
  keeping: 'being kept',
  kept: 'kept',
  removing: 'being removed',
  failed: 'stopped',
};
const PROBLEMS: readonly PlainColumn[] = [
  { id: 'words', label: 'Lines that do not fit', kind: 'words' },
  { id: 'count', label: 'lines', kind: 'figure' },
  { id: 'line', label: 'first at', kind: 'figure' },
  { id: 'text', label: 'as it stands there', kind: 'figure' },
];
/** The row of the time among what columns are tied to. */
const TIME = 'time';
const CLOCKS = [
  ['UTC', 'UTC', 'as most loggers do: no hour twice, none missing'],
  ['site', 'the site’s own', 'summer time and all: an hour that came twice is two, one that never was is left out'],
  ['+01:00', 'UTC + 1 h, all year', 'winter time, never set'],
] as const;

const TYPES: readonly (readonly [RegExp, string])[] = [
  [/\.(jsonl|ndjson)$/i, 'application/x-ndjson'],
  [/\.(senml|json)$/i, 'application/senml+json'],
  [/\.(senmlc|cbor)$/i, 'application/senml+cbor'],
];
/** What a file is sent as, by its name; a table unless it says otherwise. */
const typeOf = (name: string): string => TYPES.find(([ending]) => ending.test(name))?.[1] ?? 'text/csv';

/** Readings from elsewhere: a file is looked through, its columns become points, its clock is asked; then it is kept, and may go again. */
@Component({
  selector: 'dp-import-page',
  imports: [
    FileButton,
    Knots,
    MatButton,
    MatButtonToggleModule,
    MatProgressBar,
    MatRadioModule,
    PlainTable,
    PointPicker,
    RouterLink,
    WatchPages,
  ],
  templateUrl: './import-page.html',
  styleUrl: './import-page.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ImportPage {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly clock = inject(Clock);
  private readonly nameOf = nodeNames();
  /** The file that is looked at; without it, all of them. */
  readonly id = input<string>();
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly everyPoint = this.store.selectSignal(allPoints.selectAll);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  protected readonly points = computed(() => this.everyPoint().filter(({ kind }) => kind !== 'switched'));
  protected readonly said = signal<string | null>(null);
  protected readonly sending = signal(false);
  protected readonly asking = signal<number | null>(null);
  protected readonly problemColumns = PROBLEMS;
  protected readonly clocks = CLOCKS;
  protected readonly counted = counted;

  protected readonly all = resource({ loader: () => this.api.call(imports.list, {}) });
  protected readonly rows = computed(() => (this.all.hasValue() ? this.all.value() : []));
  private readonly one = resource({
    params: () => (this.id() === undefined ? undefined : { id: Number(this.id()) }),
    loader: ({ params }) => this.api.call(imports.one, { params }),
  });
  protected readonly file = computed(() => (this.one.hasValue() && this.id() !== undefined ? this.one.value() : null));
  protected readonly failed = computed(() =>
    this.one.error() ? messageOf(this.one.error()) : this.all.error() ? messageOf(this.all.error()) : null,
  );
  protected readonly busy = computed(() => BUSY.includes(this.file()?.state ?? 'read'));
  protected readonly changeable = computed(() => this.maker() && ['read', 'failed'].includes(this.file()?.state ?? ''));
  protected readonly columns = computed(() => {
    const file = this.file();
    return (file?.columns ?? []).map((name, place) => {
      const point = file?.settings.map.find(({ column }) => column === place)?.point ?? null;
      return {
        ...{ name, place, point },
        time: file?.settings.timeColumn === place,
        cells: (file?.sample ?? []).map((cells) => cells[place] ?? ''),
      };
    });
  });
  protected readonly untied = computed(() => this.columns().filter(({ time, point }) => !time && point === null));
  /** What columns are tied to: the time first, then points in the order of their columns. */
  protected readonly knots = computed((): readonly KnotRow[] =>
    this.columns()
      .filter(({ time, point }) => time || point !== null)
      .map(({ time, place, point }): KnotRow => {
        if (time) return { id: TIME, label: 'Time', unit: '', column: place, found: null, usual: null };
        const known = this.points().find((one) => `${one.node}/${one.name}` === point);
        const label = known ? `${known.label}, ${this.nameOf(known.node)}` : (point ?? '');
        const found = this.file()?.found.find((one) => one.point === point) ?? null;
        return { id: point ?? '', label, unit: known?.unit ?? '', column: place, found, usual: known ? [known.min, known.max] : null };
      })
      .sort((a, b) => Number(b.id === TIME) - Number(a.id === TIME)),
  );
  protected readonly problems = computed(() =>
    (this.file()?.problems ?? []).map(({ words, count, line, text }) => ({
      words,
      count: formatNumber(count),
      line: formatNumber(line),
      text,
    })),
  );

  constructor() {
    // What is under way is looked at once a second.
    effect(() => {
      this.clock.now();
      untracked(() => {
        if (this.busy() && !this.one.isLoading()) this.one.reload();
        if (this.id() === undefined && this.rows().some(({ state }) => BUSY.includes(state)) && !this.all.isLoading()) this.all.reload();
      });
    });
  }

  protected state(file: Import): string {
    return file.state === 'failed' && file.error ? file.error : STATE_WORDS[file.state];
  }
  protected when(ms: number): string {
    return dayAndTime(ms, this.zone());
  }
  protected span({ from, to }: Import): string {
    return from === null || to === null ? '' : `${wholeDate(from, this.zone())} – ${wholeDate(to, this.zone())}`;
  }
  protected readonly number = (value: number): string => formatNumber(value);
  private changes: Promise<void> = Promise.resolve();

  protected async take(file: File): Promise<void> {
    this.sending.set(true);
    this.said.set(null);
    try {
      const query = new URLSearchParams({ name: file.name, keep: 'false' }).toString();
      const reply = await this.api.fetchJson(`${imports.add.path}?${query}`, {
        method: 'POST',
        headers: { 'content-type': typeOf(file.name) },
        body: file,
        // A large file takes as long as it takes.
        signal: AbortSignal.timeout(3_600_000),
      });
      await this.router.navigate(['/watch/import', importSchema.parse(reply).id]);
    } catch (error) {
      this.said.set(`${file.name} was not taken in. ${messageOf(error)}`);
    }
    this.sending.set(false);
  }
  /** Each change is made to the settings as the answer to the one before left them: two in a row are both kept. */
  protected set(change: Partial<ImportSettings> | ((settings: ImportSettings) => Partial<ImportSettings>)): Promise<void> {
    const meant = this.file()?.id;
    this.changes = this.changes.then(() => {
      const file = this.file();
      // Somebody has gone on to another file meanwhile.
      if (!file || file.id !== meant) return undefined;
      const { id, settings } = file;
      const body = { ...settings, ...(typeof change === 'function' ? change(settings) : change) };
      return this.act(() => this.api.call(imports.change, { params: { id }, body }));
    });
    return this.changes;
  }
  /** A row is tied to another column, or to none. */
  protected tie({ row, column }: { row: string; column: number | null }): Promise<void> {
    if (row === TIME) return this.set({ timeColumn: column });
    return this.set(({ map }) => {
      const others = map.filter(({ point }) => point !== row);
      return { map: column === null ? others : [...others, { column, point: row }] };
    });
  }
  protected becomes(column: number, id: number | null): Promise<void> {
    const point = this.points().find((one) => one.id === id);
    return this.set(({ map }) => {
      const others = map.filter((one) => one.column !== column);
      return { map: point ? [...others, { column, point: `${point.node}/${point.name}` }] : others };
    });
  }
  protected keep(file: Import): Promise<void> {
    return this.act(() => this.api.call(imports.keep, { params: { id: file.id } }));
  }
  protected async remove(id: number): Promise<void> {
    this.asking.set(null);
    try {
      await this.api.call(imports.remove, { params: { id } });
      if (this.id() !== undefined) await this.router.navigate(['/watch/import']);
      this.all.reload();
    } catch (error) {
      this.said.set(messageOf(error));
    }
  }
  private async act(work: () => Promise<Import>): Promise<void> {
    try {
      this.one.set(await work());
      this.said.set(null);
    } catch (error) {
      this.said.set(messageOf(error));
    }
  }
}
