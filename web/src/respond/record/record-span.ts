import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, input, model, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { FormControl } from '@angular/forms';
import { MatButtonToggle, MatButtonToggleGroup } from '@angular/material/button-toggle';
import { DateTime } from 'luxon';
import { merge } from 'rxjs';
import { DayField } from '../../parts/day-field';

/** What of a record is looked at: the last hours of it, or whole days of the site. Times in ms. */
export type RecordSpan = { readonly hours: number } | { readonly from: number; readonly until: number };

const HOUR_MS = 3_600_000;
/** From when to when that is now. */
export const timesOf = (span: RecordSpan, now: number): { from: number; until: number } =>
  'hours' in span ? { from: now - span.hours * HOUR_MS, until: now } : { from: span.from, until: Math.min(span.until, now) };

const LAST = [
  { hours: 24, words: '24 h' },
  { hours: 168, words: '7 d' },
  { hours: 336, words: '14 d' },
] as const;

/** How much of a record is looked at: the last day, week or fortnight, or from one day to another. */
@Component({
  selector: 'dp-record-span',
  imports: [DayField, MatButtonToggle, MatButtonToggleGroup],
  template: `
    <mat-button-toggle-group [value]="chosen()" (change)="choose($event.value)" hideSingleSelectionIndicator aria-label="How far back">
      @for (each of last; track each.hours) {
        <mat-button-toggle [value]="each.hours">{{ each.words }}</mat-button-toggle>
      }
      <mat-button-toggle value="days">days</mat-button-toggle>
    </mat-button-toggle-group>
    @if (chosen() === 'days') {
      <dp-day-field [fieldId]="fieldId() + '-from'" label="From" [control]="first" />
      <dp-day-field [fieldId]="fieldId() + '-to'" label="To the end of" [control]="final" />
      @if (fault(); as words) {
        <p class="said" role="alert">{{ words }}</p>
      }
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-wrap: wrap;
      gap: 8px 12px;
      align-items: center;
    }
    dp-day-field {
      width: 150px;
    }
    p {
      flex: 1 1 100%;
      margin: 0;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RecordSpanChoice {
  readonly zone = input('UTC');
  readonly fieldId = input('t-span');
  readonly span = model.required<RecordSpan>();
  protected readonly last = LAST;
  private readonly byDays = signal(false);
  protected readonly chosen = computed(() => {
    const span = this.span();
    return this.byDays() || !('hours' in span) ? 'days' : span.hours;
  });
  readonly first = new FormControl<DateTime | null>(null);
  readonly final = new FormControl<DateTime | null>(null);
  protected readonly fault = signal<string | null>(null);

  constructor() {
    merge(this.first.valueChanges, this.final.valueChanges)
      .pipe(takeUntilDestroyed(inject(DestroyRef)))
      .subscribe(() => this.take());
  }

  protected choose(chosen: number | 'days'): void {
    this.byDays.set(chosen === 'days');
    if (chosen !== 'days') this.span.set({ hours: chosen });
    else {
      const today = DateTime.now().setZone(this.zone()).startOf('day');
      this.first.setValue(today.minus({ days: 14 }), { emitEvent: false });
      this.final.setValue(today, { emitEvent: false });
      this.take();
    }
  }

  private take(): void {
    const [first, final] = [this.first.value, this.final.value];
    if (first === null || final === null || !first.isValid || !final.isValid) return;
    // Days of the site, wherever the browser is.
    const begin = ({ year, month, day }: DateTime): DateTime => DateTime.fromObject({ year, month, day }, { zone: this.zone() });
    const [from, until] = [begin(first).toMillis(), begin(final).plus({ days: 1 }).toMillis()];
    const fault =
      from > Date.now()
        ? 'The first day has not come yet.'
        : from >= until
          ? 'The first day comes after the last one: choose an earlier one.'
          : null;
    this.fault.set(fault);
    if (fault === null) this.span.set({ from, until });
  }
}
