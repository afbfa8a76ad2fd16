import type { Point, Threshold } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, input, model } from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatSelectModule } from '@angular/material/select';
import { Trash2 } from 'lucide';
import { nodeNames } from '../../data/node-names';
import { Icon } from '../../parts/icon';
import { TypedNumberField } from '../../parts/typed-number-field';

type Step = Threshold['then'][number];
const MOST = 3;
/** After the one before it, until somebody says otherwise, s. */
const USUAL_WAIT = 30;

/** What goes on after the first output of a rule, in order, each so long after the trip. */
@Component({
  selector: 'dp-rule-then',
  imports: [Icon, MatButton, MatFormFieldModule, MatIconButton, MatSelectModule, TypedNumberField],
  template: `
    @for (step of then(); track $index; let i = $index) {
      <div class="line">
        <mat-form-field class="which">
          <mat-label>Then</mat-label>
          <mat-select [value]="step.output" (selectionChange)="put(i, { output: $event.value })" hideSingleSelectionIndicator>
            @for (choice of choices(step.output); track choice.id) {
              <mat-option [value]="choice.id">{{ choice.label }}, {{ nameOf(choice.node) }}</mat-option>
            }
          </mat-select>
        </mat-form-field>
        <dp-typed-number-field
          [fieldId]="'t-then-' + i"
          label="after the trip"
          unit="s"
          [min]="1"
          [value]="step.afterSeconds"
          (valueChange)="put(i, { afterSeconds: $event ?? step.afterSeconds })"
        />
        <button matIconButton type="button" [attr.aria-label]="'Take step ' + (i + 2) + ' away'" (click)="drop(i)">
          <dp-icon [of]="bin" />
        </button>
      </div>
    }
    @if (choices(null).length > 0 && then().length < most) {
      <button matButton type="button" (click)="add()">and then another</button>
    }
    @if (then().length > 0) {
      <p class="quiet">Each goes on where the rule still stands; all go off together. With the link down nothing of it goes on.</p>
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
      align-items: flex-start;
      width: 100%;
    }
    .which {
      flex: 1 1 200px;
    }
    dp-typed-number-field {
      width: 130px;
    }
    p {
      margin: 0;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RuleThen {
  protected readonly nameOf = nodeNames();
  protected readonly bin = Trash2;
  protected readonly most = MOST;
  readonly outputs = input.required<readonly Point[]>();
  readonly first = input.required<number>();
  readonly then = model.required<readonly Step[]>();
  private readonly taken = computed(() => new Set([this.first(), ...this.then().map(({ output }) => output)]));

  protected choices(own: number | null): Point[] {
    return this.outputs().filter(({ id }) => id === own || !this.taken().has(id));
  }
  protected add(): void {
    const [next] = this.choices(null);
    if (next) this.then.set([...this.then(), { output: next.id, afterSeconds: (this.then().at(-1)?.afterSeconds ?? 0) + USUAL_WAIT }]);
  }
  protected put(place: number, change: Partial<Step>): void {
    this.then.set(this.then().map((step, i) => (i === place ? { ...step, ...change } : step)));
  }
  protected drop(place: number): void {
    this.then.set(this.then().filter((_, i) => i !== place));
  }
}
