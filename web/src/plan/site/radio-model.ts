import type { RadioModel, SitePlan } from '@dewpost/core/site-plan';
import { formatNumber } from '@dewpost/core/quantity';
import type { ModelFit } from '@dewpost/core/radio';
import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { PlainTable, type PlainColumn } from '../../parts/plain-table';
import { ValueField } from '../../parts/value-field';

const BOUNDS: Record<
  'exponent' | 'offsetDb' | 'planningFloorDbm' | 'radiatedLimitDbm' | 'errorDb' | 'fadingDb',
  readonly [string, string, number, number, number]
> = {
  exponent: ['grows with distance', '', 1.2, 5, 0.1],
  offsetDb: ['offset', 'dB', -40, 40, 0.5],
  planningFloorDbm: ['planning floor', 'dBm', -95, -40, 1],
  radiatedLimitDbm: ['radiated power allowed', 'dBm', 0, 36, 1],
  errorDb: ['error of the model', 'dB', 1, 20, 0.5],
  fadingDb: ['fading', 'dB', 0, 12, 0.5],
};

const COLUMNS: readonly PlainColumn[] = [
  { id: 'says', label: 'figure', kind: 'head' },
  { id: 'before', label: 'now', kind: 'figure' },
  { id: 'after', label: 'fitted', kind: 'figure' },
];

/** The radio model's figures, and fitting it to what was measured. */
@Component({
  selector: 'dp-radio-model',
  imports: [MatButton, PlainTable, ValueField],
  template: `<section class="model" aria-labelledby="model-title">
    <h2 id="model-title">Radio model</h2>
    <p class="quiet">
      Walls by their losses, distance by its exponent, ± {{ number(plan().model.errorDb, 1) }} dB
      {{ plan().model.fittedTo > 0 ? 'fitted to ' + plan().model.fittedTo + ' levels' : 'until fitted to levels measured here' }}.
    </p>
    <div class="figures" role="group" aria-label="Figures of the model">
      @for (row of rows; track row.key) {
        <dp-value-field
          [fieldId]="'model-' + row.key"
          [label]="row.label"
          [unit]="row.unit"
          [min]="row.low"
          [max]="row.high"
          [step]="row.step"
          [disabled]="readOnly()"
          [value]="plan().model[row.key]"
          (changed)="set(row.key, $event)"
        />
      }
    </div>
    <p>
      {{ samples() }} measured levels: {{ plan().samples.length }} of survey walks, the rest from nodes that told theirs.
      @if (difference(); as one) {
        Measured less predicted: {{ number(one.meanDb, 1) }} dB on average, {{ number(one.rmsDb, 1) }} dB spread.
      }
    </p>
    @if (problem(); as words) {
      <p class="said" role="alert">{{ words }}</p>
    }
    @if (fit(); as one) {
      <dp-plain-table caption="What the fit changes" [quietCaption]="true" [columns]="columns" [rows]="changes()" />
      <p>
        The error goes from <b class="mono">{{ number(one.errorBeforeDb, 1) }}</b> to
        <b class="mono">{{ number(one.errorAfterDb, 1) }} dB</b> on these {{ one.samples }} levels; at a new place expect
        <b class="mono">{{ number(one.errorElsewhereDb, 1) }} dB</b>.
      </p>
      <p class="do">
        <button matButton="filled" type="button" (click)="taken.emit(one)">Take the fit</button>
        <button matButton="outlined" type="button" (click)="dropped.emit()">Leave it</button>
      </p>
    } @else if (!readOnly()) {
      <button matButton="outlined" type="button" [disabled]="samples() < 3 || working()" (click)="wanted.emit()">
        {{ working() ? 'Fitting' : 'Fit to measurements' }}
      </button>
      @if (samples() < 3) {
        <p class="quiet">Three levels at least: let placed nodes report, or make a survey walk.</p>
      }
    }
  </section>`,
  styles: `
    .model {
      padding: 10px 14px 16px 16px;
      display: grid;
      gap: 8px;
      border-top: 1px solid var(--rule);
    }
    .figures {
      display: grid;
      grid-template-columns: repeat(3, minmax(0, 1fr));
      gap: 14px 12px;
      padding-top: 6px;
    }
    .do {
      display: flex;
      gap: 8px;
    }
    .model > button {
      justify-self: start;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RadioModelPanel {
  readonly plan = input.required<SitePlan>();
  readonly samples = input(0);
  readonly difference = input<{ meanDb: number; rmsDb: number } | null>(null);
  readonly fit = input<ModelFit | null>(null);
  readonly working = input(false);
  readonly problem = input<string | null>(null);
  readonly readOnly = input(false);
  readonly changed = output<RadioModel>();
  readonly wanted = output<void>();
  readonly taken = output<ModelFit>();
  readonly dropped = output<void>();
  protected readonly rows = (Object.keys(BOUNDS) as (keyof typeof BOUNDS)[]).map((key) => {
    const [label, unit, low, high, step] = BOUNDS[key];
    return { key, label, unit, low, high, step };
  });

  protected readonly columns = COLUMNS;
  protected readonly changes = computed(() => {
    const fit = this.fit();
    if (!fit) return [];
    const row = (says: string, before: number, after: number, decimals: number) => ({
      says,
      before: this.number(before, decimals),
      after: this.number(after, decimals),
    });
    const { model, materials } = this.plan();
    return [
      row('grows with distance', model.exponent, fit.model.exponent, 2),
      row('offset, dB', model.offsetDb, fit.model.offsetDb, 1),
      row('error, dB', model.errorDb, fit.model.errorDb, 1),
      ...materials.flatMap((material, i) => {
        const after = fit.materials[i];
        return after?.fitted ? [row(`${material.name}, dB`, material.lossDb, after.lossDb, 1)] : [];
      }),
    ];
  });

  protected number(value: number, decimals = 0): string {
    return formatNumber(value, decimals);
  }
  protected set(key: keyof typeof BOUNDS, value: number): void {
    this.changed.emit({ ...this.plan().model, [key]: value });
  }
}
