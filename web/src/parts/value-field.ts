import { ChangeDetectionStrategy, Component, effect, input, output, untracked } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { FormControl, ReactiveFormsModule, type AbstractControl, type ValidationErrors } from '@angular/forms';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { NumberField } from './number-field';
import { OWN, saidAbout } from './said';

const finding = (control: AbstractControl, text: string | null): ValidationErrors | null =>
  text === null ? null : { [OWN]: new Map([[control, text]]) };

/**
 * A figure of something that is drawn or set elsewhere: shows what is, and hands on what was typed once the field is left and the figure
 * lies within its bounds. Else it says so and hands on nothing.
 */
@Component({
  selector: 'dp-value-field',
  imports: [NumberField],
  template: `<dp-number-field
    [control]="control"
    [label]="label()"
    [unit]="unit()"
    [fieldId]="fieldId()"
    [min]="min()"
    [max]="max()"
    [step]="step()"
  />`,
  styles: ':host { display: block; }',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ValueField {
  /** `null`: none, where it may be left empty. */
  readonly value = input.required<number | null>();
  readonly label = input.required<string>();
  readonly optional = input(false);
  readonly min = input.required<number>();
  readonly max = input.required<number>();
  readonly unit = input('');
  readonly step = input<number | string>('any');
  readonly fieldId = input('');
  readonly disabled = input(false);
  readonly changed = output<number>();
  readonly cleared = output<void>();
  protected readonly control = new FormControl<number | null>(null, {
    updateOn: 'blur',
    validators: (control: AbstractControl<number | null>) => finding(control, this.problemOf(control.value)),
  });

  constructor() {
    effect(() => {
      const value = this.value();
      untracked(() => this.control.reset(value, { emitEvent: false }));
    });
    effect(() => {
      if (this.disabled()) this.control.disable({ emitEvent: false });
      else this.control.enable({ emitEvent: false });
    });
    this.control.valueChanges.pipe(takeUntilDestroyed()).subscribe((value) => {
      if (!this.control.valid || value === this.value()) return;
      if (value === null) this.cleared.emit();
      else this.changed.emit(value);
    });
  }
  private problemOf(value: number | null): string | null {
    if (value === null || !Number.isFinite(value)) return this.optional() ? null : 'needed';
    return value < this.min() || value > this.max() ? `from ${this.min()} to ${this.max()}` : null;
  }
}

/** A name of something that is drawn or set elsewhere, as `ValueField` is for figures. */
@Component({
  selector: 'dp-text-field',
  imports: [MatFormFieldModule, MatInput, ReactiveFormsModule],
  template: `<mat-form-field [class.mono]="mono()">
    @if (label(); as text) {
      <mat-label>{{ text }}</mat-label>
    }
    <input
      matInput
      [formControl]="control"
      [attr.aria-label]="name()"
      [placeholder]="placeholder()"
      [maxlength]="most()"
      autocomplete="off"
    />
    <mat-error>{{ said(control) }}</mat-error>
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
export class TextField {
  readonly value = input.required<string>();
  readonly label = input('');
  /** For a field whose label is not shown. */
  readonly name = input<string | null>(null);
  readonly placeholder = input('');
  readonly most = input(60);
  readonly mono = input(false);
  /** May it be left empty? */
  readonly optional = input(false);
  /** What is wrong with what stands there, said by who knows more than the field. */
  readonly problem = input<string | null>(null);
  readonly disabled = input(false);
  readonly changed = output<string>();
  protected readonly said = saidAbout;
  protected readonly control = new FormControl('', {
    nonNullable: true,
    updateOn: 'blur',
    validators: (control: AbstractControl<string>) =>
      finding(control, control.value.trim() === '' && !this.optional() ? 'needed' : this.problem()),
  });

  constructor() {
    effect(() => {
      const [value, problem] = [this.value(), this.problem()];
      untracked(() => {
        this.control.reset(value, { emitEvent: false });
        if (problem !== null) this.control.markAsTouched();
      });
    });
    effect(() => {
      if (this.disabled()) this.control.disable({ emitEvent: false });
      else this.control.enable({ emitEvent: false });
    });
    this.control.valueChanges.pipe(takeUntilDestroyed()).subscribe((value) => {
      if ((value.trim() !== '' || this.optional()) && value.trim() !== this.value()) this.changed.emit(value.trim());
    });
  }
}
