import type { Point } from '@dewpost/contract';
import { counted } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, input, model, signal } from '@angular/core';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { nodeNames } from '../data/node-names';
import { hasWords } from './has-words';

/** Points offered at once; more are found by typing. */
const SHOWN = 40;

/** Some of many points, ticked; found by typing words of them or of their nodes. */
@Component({
  selector: 'dp-point-ticks',
  imports: [MatCheckbox, MatFormFieldModule, MatInput],
  template: `<mat-form-field>
      <mat-label>Find points</mat-label>
      <input
        matInput
        #typed
        [id]="inputId()"
        type="search"
        autocomplete="off"
        placeholder="node or point"
        (input)="wanted.set(typed.value)"
      />
    </mat-form-field>
    <fieldset class="points">
      <legend>{{ legend() }} {{ counted(chosen().size, 'point') }}</legend>
      @for (point of offered(); track point.id) {
        <mat-checkbox [checked]="chosen().has(point.id)" (change)="tick(point.id, $event.checked)">
          {{ point.label }} <span class="quiet">{{ nameOf(point.node) }}</span>
        </mat-checkbox>
      } @empty {
        <p class="quiet">No point has this in its name.</p>
      }
      @if (more() > 0) {
        <p class="quiet">{{ more() }} more: type a node or a point.</p>
      }
    </fieldset>`,
  styles: `
    :host {
      display: block;
      padding-top: 8px;
    }
    mat-form-field {
      width: 220px;
      max-width: 100%;
    }
    .points {
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(280px, 1fr));
      margin: 8px 0 0;
      padding: 0;
      border: 0;
    }
    legend {
      padding: 4px 0;
      font-weight: 600;
    }
    @media (max-width: 899px) {
      mat-form-field {
        width: 100%;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PointTicks {
  protected readonly nameOf = nodeNames();
  protected readonly counted = counted;
  readonly points = input.required<readonly Point[]>();
  readonly inputId = input.required<string>();
  /** What is said before the count, as "It may hear". */
  readonly legend = input.required<string>();
  readonly chosen = model.required<ReadonlySet<number>>();
  protected readonly wanted = signal('');
  private readonly found = computed(() => {
    const wanted = hasWords(this.wanted());
    return this.points().filter(
      (point) => this.chosen().has(point.id) || wanted(`${point.label} ${point.name} ${point.node} ${this.nameOf(point.node)}`),
    );
  });
  protected readonly offered = computed(() => this.found().slice(0, SHOWN));
  protected readonly more = computed(() => Math.max(0, this.found().length - SHOWN));

  protected tick(id: number, on: boolean): void {
    this.chosen.update((before) => {
      const next = new Set(before);
      if (on) next.add(id);
      else next.delete(id);
      return next;
    });
  }
}
