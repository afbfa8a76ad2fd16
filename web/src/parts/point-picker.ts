import type { Point } from '@dewpost/contract';
import { booleanAttribute, ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { MatAutocompleteModule } from '@angular/material/autocomplete';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { nodeNames } from '../data/node-names';
import { hasWords } from './has-words';

const SHOWN = 60;

/** One of many points, found by typing words of it or of its node. */
@Component({
  selector: 'dp-point-picker',
  imports: [MatAutocompleteModule, MatFormFieldModule, MatInput],
  template: `<mat-form-field>
    <mat-label>{{ label() }}</mat-label>
    <input
      matInput
      #typed
      [id]="inputId()"
      placeholder="type a point or a node"
      autocomplete="off"
      [value]="nameById(chosen())"
      [matAutocomplete]="list"
      (input)="wanted.set(typed.value)"
      (focus)="typed.select()"
    />
    <mat-autocomplete
      #list="matAutocomplete"
      autoActiveFirstOption
      [displayWith]="nameById"
      (optionSelected)="pick($event.option.value, typed)"
    >
      @for (one of found(); track one.id) {
        <mat-option [value]="one.id">{{ nameById(one.id) }}</mat-option>
      }
    </mat-autocomplete>
  </mat-form-field>`,
  styles: `
    :host {
      display: block;
      width: 340px;
      max-width: 100%;
    }
    mat-form-field {
      width: 100%;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PointPicker {
  private readonly nameOf = nodeNames();
  readonly points = input.required<readonly Point[]>();
  readonly chosen = input<number | null>(null);
  readonly label = input('Point');
  readonly inputId = input.required<string>();
  /** Is it empty again after each: for who picks one after the other? */
  readonly clears = input(false, { transform: booleanAttribute });
  readonly picked = output<number>();
  protected readonly wanted = signal('');
  protected readonly found = computed(() => {
    const wanted = hasWords(this.wanted());
    return this.points()
      .filter((point) => wanted(`${point.label} ${point.name} ${point.node} ${this.nameOf(point.node)}`))
      .slice(0, SHOWN);
  });
  protected readonly nameById = (id: number | null): string => {
    const point = this.points().find((one) => one.id === id);
    return point ? `${point.label}, ${this.nameOf(point.node)}` : '';
  };
  protected pick(id: number, typed: HTMLInputElement): void {
    this.wanted.set('');
    this.picked.emit(id);
    if (this.clears()) typed.value = '';
  }
}
