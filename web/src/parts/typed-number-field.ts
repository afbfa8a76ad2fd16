import { ChangeDetectionStrategy, Component, input, model } from '@angular/core';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { typedNumber } from './typed-number';

/** A figure with its unit that stands in a signal, outside of a form; `null` while nothing that is a number is typed. In a form: `NumberField`. */
@Component({
  selector: 'dp-typed-number-field',
  imports: [MatFormFieldModule, MatInput],
  template: `<mat-form-field class="mono">
    <mat-label>{{ label() }}</mat-label>
    <input
      matInput
      #typed
      type="number"
      step="any"
      [id]="fieldId()"
      [attr.min]="min()"
      [value]="value() ?? ''"
      (input)="value.set(numberOf(typed.value))"
    /><span matTextSuffix class="unit">{{ unit() }}</span>
    @if (hint(); as text) {
      <mat-hint>{{ text }}</mat-hint>
    }
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
export class TypedNumberField {
  readonly label = input.required<string>();
  readonly fieldId = input.required<string>();
  readonly unit = input('');
  readonly hint = input('');
  readonly min = input<number | null>(null);
  readonly value = model.required<number | null>();
  protected readonly numberOf = typedNumber;
}
