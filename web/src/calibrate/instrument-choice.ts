import { references, type Reference } from '@dewpost/contract';
import { instrumentFault, isOverdue, type Capture } from '@dewpost/core/calibration';
import { ChangeDetectionStrategy, Component, computed, inject, input, model, resource } from '@angular/core';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatSelectModule } from '@angular/material/select';
import { Api } from '../data/api';
import { Clock } from '../parts/clock';

/** The instrument that references are read from: only those that show this unit, with what cannot have come from it. */
@Component({
  selector: 'dp-instrument-choice',
  imports: [MatFormFieldModule, MatSelectModule],
  template: `
    @if (beside().length > 0) {
      <mat-form-field>
        <mat-label>Read from</mat-label>
        <mat-select
          id="c-instrument"
          [value]="chosen()?.id ?? null"
          (selectionChange)="choose($event.value)"
          canSelectNullableOptions
          hideSingleSelectionIndicator
        >
          <mat-option [value]="null">nobody says</mat-option>
          @for (each of beside(); track each.id) {
            <mat-option [value]="each.id">{{ each.name }}, ± {{ each.uncertainty }} {{ each.unit }}</mat-option>
          }
        </mat-select>
      </mat-form-field>
      @if (says(); as words) {
        <p class="said note" role="status">{{ words }}</p>
      }
    }
  `,
  styles: `
    :host {
      display: block;
      margin-top: 14px;
    }
    mat-form-field {
      width: min(100%, 420px);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class InstrumentChoice {
  private readonly api = inject(Api);
  private readonly clock = inject(Clock);
  readonly unit = input.required<string>();
  readonly captures = input.required<readonly Capture[]>();
  /** `null`: nobody says. */
  readonly chosen = model<Reference | null>(null);
  private readonly read = resource({ loader: () => this.api.call(references.list, {}) });
  protected readonly beside = computed(() => (this.read.hasValue() ? this.read.value() : []).filter(({ unit }) => unit === this.unit()));
  protected readonly says = computed(() => {
    const instrument = this.chosen();
    if (!instrument) return null;
    const fault = instrumentFault(instrument, this.unit(), this.captures());
    if (fault !== null) return `${fault}.`;
    return isOverdue(instrument, this.clock.now())
      ? `${instrument.name} is past its own day: have it looked at first, if that can be.`
      : null;
  });

  protected choose(id: number | null): void {
    this.chosen.set(this.beside().find((each) => each.id === id) ?? null);
  }
}
