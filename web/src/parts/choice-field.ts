import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatSelectModule } from '@angular/material/select';

/** What can be chosen, and its words. */
export interface Choice<T> {
  readonly value: T;
  readonly words: string;
  readonly disabled?: boolean;
}

/** Choices whose words are what they stand for. */
export const asWords = <T extends string>(values: readonly T[]): Choice<T>[] => values.map((value) => ({ value, words: value }));

/** One of a few, for something that is drawn or set elsewhere. `null` is a choice like another. */
@Component({
  selector: 'dp-choice-field',
  imports: [MatFormFieldModule, MatSelectModule],
  template: `<mat-form-field [class.mono]="mono()">
    @if (label(); as text) {
      <mat-label>{{ text }}</mat-label>
    }
    <mat-select
      [id]="fieldId()"
      [aria-label]="name() ?? ''"
      [value]="value()"
      [disabled]="disabled()"
      canSelectNullableOptions
      hideSingleSelectionIndicator
      (selectionChange)="changed.emit($event.value)"
    >
      @for (choice of choices(); track choice.value) {
        <mat-option [value]="choice.value" [disabled]="choice.disabled ?? false">{{ choice.words }}</mat-option>
      }
    </mat-select>
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
export class ChoiceField<T> {
  readonly value = input.required<T>();
  readonly choices = input.required<readonly Choice<T>[]>();
  readonly label = input('');
  /** For a field whose label is not shown. */
  readonly name = input<string | null>(null);
  readonly hint = input('');
  readonly fieldId = input('');
  readonly mono = input(false);
  readonly disabled = input(false);
  readonly changed = output<T>();
}
