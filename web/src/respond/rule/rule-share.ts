import { shareOf } from '@dewpost/core/control';
import { formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { MatCheckbox } from '@angular/material/checkbox';
import { TypedNumberField } from '../../parts/typed-number-field';
import type { WhatFollows } from './what-follows';

/** An output that runs for a share of each cycle, the less the nearer its rule is to clearing. */
@Component({
  selector: 'dp-rule-share',
  imports: [MatCheckbox, TypedNumberField],
  template: `
    <mat-checkbox [checked]="what().band() !== null" (change)="turn($event.checked)"
      >runs in proportion, for a share of each cycle</mat-checkbox
    >
    @if (what().band() !== null) {
      <div class="line">
        <dp-typed-number-field
          fieldId="t-band"
          label="Whole at"
          hint="from where it clears"
          [unit]="unit()"
          [min]="0"
          [(value)]="what().band"
        />
        <dp-typed-number-field fieldId="t-cycle" label="In cycles of" unit="min" [min]="0" [(value)]="what().cycleMinutes" />
      </div>
      <p class="quiet">
        {{ words() }} It comes to rest short of where it clears. A share shorter than its minimum time on is none; each cycle is a start for
        its contact.
      </p>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 8px;
      justify-items: start;
    }
    .line {
      display: flex;
      flex-wrap: wrap;
      gap: 8px 12px;
    }
    dp-typed-number-field {
      width: 150px;
    }
    p {
      margin: 0;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RuleShare {
  readonly what = input.required<WhatFollows>();
  readonly unit = input('');
  readonly side = input.required<'high' | 'low'>();
  readonly setpoint = input<number | null>(null);
  /** Where it clears; `null`: nobody has said yet. */
  readonly clear = input<number | null>(null);
  protected readonly words = computed(() => {
    const [band, clear, setpoint, minutes] = [this.what().band(), this.clear(), this.setpoint(), this.what().cycleMinutes()];
    if (band === null || band <= 0 || clear === null || setpoint === null || minutes === null) return '';
    const on = shareOf({ band }, this.side(), clear, setpoint) * minutes;
    return `At its setpoint it runs ${formatNumber(on, 1)} of ${formatNumber(minutes, 1)} min.`;
  });

  /** Twice the deadband to begin with: at the setpoint it runs half of the time. */
  protected turn(on: boolean): void {
    const [setpoint, clear] = [this.setpoint(), this.clear()];
    const deadband = setpoint === null || clear === null ? 0 : Math.abs(setpoint - clear);
    this.what().band.set(on ? (deadband > 0 ? Number((2 * deadband).toPrecision(6)) : 1) : null);
  }
}
