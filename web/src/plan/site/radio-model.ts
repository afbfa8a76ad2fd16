import type { RadioModel, SitePlan } from '@dewpost/core/site-plan';
import { formatNumber } from '@dewpost/core/quantity';
import type { ModelFit } from '@dewpost/core/radio';
import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';

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

/** The radio model's figures, and fitting it to what was measured. */
@Component({
  selector: 'dp-radio-model',
  imports: [FormsModule],
  template: `<section class="model" aria-labelledby="model-title">
    <h2 id="model-title">Radio model</h2>
    <p class="quiet">
      Walls by their losses, distance by its exponent, ± {{ number(plan().model.errorDb, 1) }} dB
      {{ plan().model.fittedTo > 0 ? 'fitted to ' + plan().model.fittedTo + ' levels' : 'until fitted to levels measured here' }}.
    </p>
    <fieldset [disabled]="readOnly()">
      @for (row of rows; track row.key) {
        <label
          >{{ row.says
          }}<span
            ><input
              class="input mono"
              type="number"
              [min]="row.low"
              [max]="row.high"
              [step]="row.step"
              [ngModel]="plan().model[row.key]"
              [ngModelOptions]="{ updateOn: 'blur' }"
              (ngModelChange)="set(row.key, row.low, row.high, $event)"
            />
            {{ row.unit }}</span
          ></label
        >
      }
    </fieldset>
    <p>
      {{ samples() }} measured levels: {{ plan().samples.length }} of survey walks, the rest from nodes that told theirs.
      @if (difference(); as one) {
        Measured less predicted: {{ number(one.meanDb, 1) }} dB on average, {{ number(one.rmsDb, 1) }} dB spread.
      }
    </p>
    @if (problem(); as said) {
      <p class="said" role="alert">{{ said }}</p>
    }
    @if (fit(); as one) {
      <table class="ledger">
        <thead>
          <tr>
            <th></th>
            <th>now</th>
            <th>fitted</th>
          </tr>
        </thead>
        <tbody>
          @for (row of changes(); track row.says) {
            <tr>
              <th scope="row">{{ row.says }}</th>
              <td class="mono">{{ row.before }}</td>
              <td class="mono">{{ row.after }}</td>
            </tr>
          }
        </tbody>
      </table>
      <p>
        The error goes from <b class="mono">{{ number(one.errorBeforeDb, 1) }}</b> to
        <b class="mono">{{ number(one.errorAfterDb, 1) }} dB</b> on these {{ one.samples }} levels; at a new place expect
        <b class="mono">{{ number(one.errorElsewhereDb, 1) }} dB</b>.
      </p>
      <p class="do">
        <button class="b primary" type="button" (click)="taken.emit(one)">Take the fit</button>
        <button class="b" type="button" (click)="dropped.emit()">Leave it</button>
      </p>
    } @else if (!readOnly()) {
      <button class="b" type="button" [disabled]="samples() < 3 || working()" (click)="wanted.emit()">
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
    fieldset {
      border: 0;
      margin: 0;
      padding: 0;
      display: grid;
      grid-template-columns: repeat(3, minmax(0, 1fr));
      gap: 6px 12px;
    }
    label {
      display: grid;
      font-size: 12px;
      color: var(--ink-2);
    }
    label span {
      display: flex;
      gap: 4px;
      align-items: center;
    }
    .input {
      width: 72px;
    }
    .do {
      display: flex;
      gap: 8px;
    }
    .b {
      justify-self: start;
    }
    .ledger th:first-child {
      padding-left: 0;
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
    const [says, unit, low, high, step] = BOUNDS[key];
    return { key, says, unit, low, high, step };
  });

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
  protected set(key: keyof typeof BOUNDS, low: number, high: number, value: number | null): void {
    if (value === null || !Number.isFinite(value)) return;
    this.changed.emit({ ...this.plan().model, [key]: Math.max(low, Math.min(high, value)) });
  }
}
