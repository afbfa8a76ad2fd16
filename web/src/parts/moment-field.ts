import { ChangeDetectionStrategy, Component, effect, input, output, untracked } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { FormControl, FormGroup, ReactiveFormsModule } from '@angular/forms';
import { provideLuxonDateAdapter } from '@angular/material-luxon-adapter';
import { ErrorStateMatcher } from '@angular/material/core';
import { MatDatepickerModule } from '@angular/material/datepicker';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatIcon } from '@angular/material/icon';
import { MatInput } from '@angular/material/input';
import { MatTimepickerModule } from '@angular/material/timepicker';
import { CalendarDays, Clock3 } from 'lucide';
import { DateTime } from 'luxon';
import { DAY_FORMATS } from './day-formats';
import { useIcons } from './icons';

/** The instant that a day and a time of day name in a zone, ms; `null` where either is missing; of a time that is twice, the first. Only their figures count, not their own zones. */
export function instantOf(day: DateTime | null, time: DateTime | null, zone: string): number | null {
  if (!day?.isValid || !time?.isValid) return null;
  const { year, month, day: ofMonth } = day;
  const moment = DateTime.fromObject({ year, month, day: ofMonth, hour: time.hour, minute: time.minute }, { zone });
  return Math.min(...moment.getPossibleOffsets().map((one) => one.toMillis()));
}

/** A day and a time of the site's clock, picked or typed; the zone is said. Hands on the instant once both can be read. */
@Component({
  selector: 'dp-moment-field',
  imports: [MatDatepickerModule, MatFormFieldModule, MatIcon, MatInput, MatTimepickerModule, ReactiveFormsModule],
  // What is wrong here is said by the pickers themselves, not by a schema.
  providers: [provideLuxonDateAdapter(DAY_FORMATS), { provide: ErrorStateMatcher, useClass: ErrorStateMatcher }],
  template: `<ng-container [formGroup]="form">
    <mat-form-field class="mono">
      <mat-label>{{ label() }}, day</mat-label>
      <input matInput [matDatepicker]="days" formControlName="day" [id]="fieldId()" [max]="latest()" />
      <mat-hint>as 2026-11-27</mat-hint>
      <mat-datepicker-toggle matIconSuffix [for]="days"><mat-icon matDatepickerToggleIcon svgIcon="calendar" /></mat-datepicker-toggle>
      <mat-datepicker #days />
      <mat-error>{{ form.controls.day.hasError('matDatepickerMax') ? 'not after today' : 'a day as 2026-11-27' }}</mat-error>
    </mat-form-field>
    <mat-form-field class="mono">
      <mat-label>time</mat-label>
      <input matInput [matTimepicker]="times" formControlName="time" />
      <mat-timepicker-toggle matIconSuffix [for]="times"><mat-icon matTimepickerToggleIcon svgIcon="clock" /></mat-timepicker-toggle>
      <mat-timepicker #times interval="30min" />
      <mat-hint>{{ zone() }}</mat-hint>
      <mat-error>a time as 14:30</mat-error>
    </mat-form-field>
  </ng-container>`,
  styles: `
    :host {
      display: grid;
      grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
      gap: 8px;
      align-items: start;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class MomentField {
  /** ms. */
  readonly value = input.required<number | null>();
  readonly label = input.required<string>();
  readonly zone = input.required<string>();
  readonly fieldId = input('');
  /** May it lie ahead? */
  readonly ahead = input(false);
  readonly changed = output<number>();
  protected readonly form = new FormGroup({
    day: new FormControl<DateTime | null>(null),
    time: new FormControl<DateTime | null>(null),
  });

  constructor() {
    useIcons({ calendar: CalendarDays, clock: Clock3 });
    effect(() => {
      const value = this.value();
      const moment = value === null ? null : DateTime.fromMillis(value, { zone: this.zone() });
      untracked(() => this.form.reset({ day: moment, time: moment }, { emitEvent: false }));
    });
    this.form.valueChanges.pipe(takeUntilDestroyed()).subscribe(({ day, time }) => {
      const at = instantOf(day ?? null, time ?? null, this.zone());
      if (at !== null && this.form.valid && at !== this.value()) this.changed.emit(at);
    });
  }
  protected latest(): DateTime | null {
    return this.ahead() ? null : DateTime.now().setZone(this.zone()).endOf('day');
  }
}
