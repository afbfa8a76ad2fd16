import { breakEven, partsList, type Batch } from '@dewpost/core/cost';
import { counted, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { MatButton } from '@angular/material/button';
import * as z from 'zod';
import { downloadCsv } from '../../parts/download-csv';
import { NumberField } from '../../parts/number-field';
import { PlainTable, type PlainColumn } from '../../parts/plain-table';
import { lastValid, zodForm } from '../../parts/zod-forms';

const COLUMNS: readonly PlainColumn[] = [
  { id: 'part', label: 'Part', kind: 'head' },
  { id: 'quantity', label: 'Quantity', kind: 'figure' },
  { id: 'each', label: 'Each', kind: 'figure' },
  { id: 'sum', label: 'Sum', kind: 'figure' },
];
const sum = z.number().min(0).max(1e6);
const schema = z.object({ spares: z.number().min(0).max(100), bought: sum, fee: sum, hours: z.number().min(0).max(1000), worth: sum });

/** Parts to buy for all nodes, and whether making them pays against buying. */
@Component({
  selector: 'dp-cost',
  imports: [MatButton, NumberField, PlainTable],
  template: `
    <h2>
      Parts <button matButton="outlined" class="small" type="button" [disabled]="list().length === 0" (click)="csv()">Parts as CSV</button>
    </h2>
    <p class="asks"><dp-number-field label="Spares" unit="%" [control]="form.controls.spares" [min]="0" [max]="100" /></p>
    <dp-plain-table caption="Parts" [quietCaption]="true" [columns]="columns" [rows]="rows()" [foot]="foot()" />
    @if (unpriced() > 0) {
      <p class="quiet note">{{ unpricedWords() }} on a sheet that was not drawn here: not counted.</p>
    }
    <h2>Against buying</h2>
    <p class="asks">
      <dp-number-field label="A bought node" [control]="form.controls.bought" [min]="0" />
      <dp-number-field label="Fee a year" [control]="form.controls.fee" [min]="0" />
      <dp-number-field label="Your hours a node" [control]="form.controls.hours" [min]="0" [step]="0.5" />
      <dp-number-field label="An hour’s worth" [control]="form.controls.worth" [min]="0" />
    </p>
    <p>
      @if (against().months === 0) {
        Making saves <b class="mono">{{ number(against().savedAtOnce) }}</b> at once, and
        {{ number(typed().fee * (count() - unpriced())) }} every year. Cases and postage are not counted.
      } @else if (against().months === null) {
        Making costs <b class="mono">{{ number(-against().savedAtOnce) }}</b> more, and no yearly fee makes up for it.
      } @else {
        Making costs {{ number(-against().savedAtOnce) }} more at first and has paid for itself in
        <b class="mono">{{ number(against().months ?? 0) }} months</b>.
      }
    </p>
  `,
  styleUrl: './part.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Cost {
  readonly batches = input.required<readonly Batch[]>();
  readonly count = input.required<number>();
  /** Nodes on a sheet that was not drawn here. */
  readonly unpriced = input.required<number>();
  protected readonly columns = COLUMNS;
  protected readonly form = zodForm(schema, { spares: 10, bought: 60, fee: 12, hours: 1.5, worth: 0 });
  protected readonly typed = lastValid(this.form, schema);
  protected readonly list = computed(() => partsList([...this.batches()], this.typed().spares));
  private readonly sum = computed(() => this.list().reduce((total, line) => total + line.sum, 0));
  protected readonly rows = computed(() =>
    this.list().map((line) => ({
      part: line.name,
      quantity: String(line.quantity),
      each: formatNumber(line.price, 2),
      sum: formatNumber(line.sum, 2),
    })),
  );
  protected readonly foot = computed(() => ({ part: 'In all', sum: formatNumber(this.sum(), 2) }));
  protected readonly unpricedWords = computed(() => counted(this.unpriced(), 'node'));
  protected readonly against = computed(() => {
    const { bought, fee, hours, worth } = this.typed();
    return breakEven(this.sum(), this.count() - this.unpriced(), {
      unitPrice: bought,
      yearlyFee: fee,
      hoursPerNode: hours,
      hourlyWorth: worth,
    });
  });
  protected number(value: number): string {
    return formatNumber(value, 0);
  }
  protected csv(): void {
    downloadCsv('parts.csv', [
      ['part', 'quantity', 'price', 'sum'],
      ...this.list().map((line) => [line.name, String(line.quantity), String(line.price), line.sum.toFixed(2)]),
    ]);
  }
}
