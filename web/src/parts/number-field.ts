import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { ReactiveFormsModule, type FormControl } from '@angular/forms';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { looksAgainWithForm } from './look-again';
import { saidAbout } from './said';

/** A figure that is typed, with its label above, its unit behind it and what is wrong with it beneath. */
@Component({
  selector: 'dp-number-field',
  imports: [MatFormFieldModule, MatInput, ReactiveFormsModule],
  template: `<mat-form-field class="mono">
    @if (label(); as text) {
      <mat-label>{{ text }}</mat-label>
    }
    <input
      matInput
      type="number"
      [formControl]="control()"
      [id]="fieldId()"
      [attr.aria-label]="name()"
      [attr.min]="min()"
      [attr.max]="max()"
      [attr.step]="step()"
    />
    @if (unit(); as text) {
      <span matTextSuffix class="unit">{{ text }}</span>
    }
    @if (hint(); as text) {
      <mat-hint>{{ text }}</mat-hint>
    }
    <mat-error>{{ said(control()) }}</mat-error>
  </mat-form-field>`,
  styles: `
    :host {
      display: block;
    }
    mat-form-field {
      width: 100%;
    }
    .unit {
      padding-left: 6px;
      font: 400 12px/24px var(--sans);
      font-stretch: 100%;
      color: var(--ink-2);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class NumberField {
  readonly control = input.required<FormControl<number | null>>();
  readonly label = input('');
  /** For a field whose label is not shown. */
  readonly name = input<string | null>(null);
  readonly fieldId = input('');
  readonly unit = input('');
  readonly hint = input('');
  readonly min = input<number | null>(null);
  readonly max = input<number | null>(null);
  readonly step = input<number | string>('any');
  protected readonly said = saidAbout;

  constructor() {
    looksAgainWithForm(this.control);
  }
}
