import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { ReactiveFormsModule, type FormControl } from '@angular/forms';
import { provideLuxonDateAdapter } from '@angular/material-luxon-adapter';
import { MatDatepickerModule } from '@angular/material/datepicker';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatIcon } from '@angular/material/icon';
import { MatInput } from '@angular/material/input';
import { CalendarDays } from 'lucide';
import type { DateTime } from 'luxon';
import { DAY_FORMATS } from './day-formats';
import { useIcons } from './icons';
import { looksAgainWithForm } from './look-again';
import { saidAbout } from './said';

/** A day, picked or typed, as a control of a form. */
@Component({
  selector: 'dp-day-field',
  imports: [MatDatepickerModule, MatFormFieldModule, MatIcon, MatInput, ReactiveFormsModule],
  providers: [provideLuxonDateAdapter(DAY_FORMATS)],
  template: `<mat-form-field class="mono">
    <mat-label>{{ label() }}</mat-label>
    <input matInput [matDatepicker]="days" [formControl]="control()" [id]="fieldId()" />
    <mat-datepicker-toggle matIconSuffix [for]="days"><mat-icon matDatepickerToggleIcon svgIcon="calendar" /></mat-datepicker-toggle>
    <mat-datepicker #days />
    <mat-error>{{ said(control()) }}</mat-error>
  </mat-form-field>`,
  styles: `
    :host {
      display: block;
    }
    mat-form-field {
      width: 100%;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class DayField {
  readonly control = input.required<FormControl<DateTime | null>>();
  readonly label = input.required<string>();
  readonly fieldId = input('');
  protected readonly said = saidAbout;

  constructor() {
    useIcons({ calendar: CalendarDays });
    looksAgainWithForm(this.control);
  }
}
