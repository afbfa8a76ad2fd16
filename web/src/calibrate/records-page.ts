import { calibrate, calibrationRowsSchema } from '@dewpost/contract';
import { calibrated, RECIPES } from '@dewpost/core/calibration';
import { counted, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { Store } from '@ngrx/store';
import type * as z from 'zod';
import { Api, messageOf } from '../data/api';
import { nodeNames } from '../data/node-names';
import { placeFeature } from '../data/reducers';
import { selectTimezone } from '../data/selectors';
import { conversionWords } from '../parts/conversion-words';
import { FileButton } from '../parts/file-button';
import { hasWords } from '../parts/has-words';
import { LongRows, pagesOf } from '../parts/long-rows';
import { PlainTable, type PlainColumn } from '../parts/plain-table';
import { dateOnly, wholeDate } from '../parts/times';
import { CalibratePages } from './calibrate-pages';
import { METHODS } from './methods';

export type CalibrationRecord = z.output<(typeof calibrate.records)['reply']>[number];

/** Beyond that a list is narrowed by words. */
const CAPTURES: readonly PlainColumn[] = [
  { id: 'n', label: 'capture', kind: 'head' },
  ...(['raw', 'reference', 'converted', 'off by'] as const).map((id) => ({ id, label: id, kind: 'figure' as const })),
];

const TAKEN: readonly PlainColumn[] = [
  { id: 'row', label: 'row', kind: 'figure' },
  { id: 'point', label: 'point', kind: 'head' },
  { id: 'became', label: 'became', kind: 'words' },
];
type RowsTaken = z.output<typeof calibrationRowsSchema>;

/** Every calibration there was, with its evidence; one of them to print or keep as PDF. */
@Component({
  selector: 'dp-records-page',
  imports: [CalibratePages, FileButton, LongRows, MatButton, MatFormFieldModule, MatInput, PlainTable],
  templateUrl: './records-page.html',
  styleUrl: './records-page.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RecordsPage {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly nameOf = nodeNames();
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly place = this.store.selectSignal(placeFeature.selectPlaceState);
  protected readonly site = computed(() => this.place().site?.name ?? '');
  protected readonly columns = CAPTURES;
  protected readonly takenColumns = TAKEN;
  protected readonly csv = calibrate.table.path;
  protected readonly maker = computed(() => this.place().me?.role === 'maker');
  /** What became of a table that was taken in. */
  protected readonly taken = signal<RowsTaken | null>(null);
  protected readonly takenRows = computed(() =>
    (this.taken() ?? []).map(({ row, node, point, version, refused }) => ({
      ...{ row: String(row), point: `${node}/${point}` },
      became: version === null ? (refused ?? '') : `version ${version}`,
    })),
  );
  protected readonly said = signal<string | null>(null);
  protected readonly wanted = signal('');
  protected readonly read = resource({ loader: () => this.api.call(calibrate.records, { query: {} }) });
  protected readonly all = computed(() => (this.read.hasValue() ? this.read.value() : null));
  protected readonly failed = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  private readonly found = computed(() => {
    const wanted = hasWords(this.wanted());
    return (this.all() ?? []).filter((record) =>
      wanted(`${this.nameOf(record.node)} ${record.label} ${record.madeBy} ${record.note} ${record.instrument?.name ?? ''}`),
    );
  });
  protected readonly pages = pagesOf(this.found);
  protected readonly summary = computed(() => counted(this.all()?.length ?? 0, 'calibration'));
  protected readonly chosen = signal<CalibrationRecord | null>(null);
  protected readonly captures = computed(() => {
    const record = this.chosen();
    if (!record) return [];
    return record.captures.map(({ raw, reference }, i) => {
      const converted = calibrated(record.coefficients, raw);
      return {
        n: String(i + 1),
        raw: String(Number(raw.toPrecision(6))),
        reference: this.figure(record, reference),
        converted: this.figure(record, converted),
        'off by': this.figure(record, converted - reference),
      };
    });
  });

  protected key({ point, version }: CalibrationRecord): string {
    return `${point} ${version}`;
  }
  protected figure({ unit, uncertainty }: CalibrationRecord, value: number): string {
    // Two figures of what it is unsure by: more would say nothing.
    const decimals = uncertainty > 0 ? Math.min(6, Math.max(0, 1 - Math.floor(Math.log10(uncertainty)))) : 3;
    return `${formatNumber(value, decimals)} ${unit}`.trim();
  }
  protected way({ recipe, method }: CalibrationRecord): string {
    return RECIPES.find(({ id }) => id === recipe)?.title ?? METHODS.find(({ value }) => value === method)?.words ?? method;
  }
  protected words({ coefficients }: CalibrationRecord): string {
    return conversionWords(coefficients);
  }
  protected state({ withdrawnAt, dueAt, inherited }: CalibrationRecord): string {
    if (withdrawnAt !== null) return `, withdrawn ${this.date(withdrawnAt)}`;
    if (inherited?.confirmedAt === null) return ', inherited, not confirmed';
    return dueAt === null ? '' : `, due again ${this.date(dueAt)}`;
  }
  protected beside({ instrument }: CalibrationRecord): string {
    if (!instrument) return 'nobody has said';
    const certificate = instrument.certificate === '' ? 'without a certificate' : instrument.certificate;
    return `${instrument.name}, ${certificate}${instrument.overdue ? '; it was past its own day' : ''}`;
  }
  protected date(ms: number): string {
    return dateOnly(ms, this.zone());
  }
  protected when(ms: number): string {
    return wholeDate(ms, this.zone());
  }
  protected keptOf(rows: RowsTaken): number {
    return rows.filter(({ version }) => version !== null).length;
  }
  protected async take(file: File): Promise<void> {
    this.said.set(null);
    try {
      const answer = await this.api.fetchJson(calibrate.takeTable.path, {
        method: 'POST',
        headers: { 'content-type': 'text/csv' },
        body: file,
      });
      this.taken.set(calibrationRowsSchema.parse(answer));
      this.again();
    } catch (error) {
      this.said.set(`${file.name} was not taken in. ${messageOf(error)}`);
    }
  }
  protected print(): void {
    window.print();
  }
  protected again(): void {
    this.read.reload();
  }
}
