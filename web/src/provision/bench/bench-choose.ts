import { provision, type Node } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input, output, resource, signal } from '@angular/core';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatCheckbox } from '@angular/material/checkbox';
import { Api } from '../../data/api';
import { CHOOSE_BY, groupsOf, type Chosen, type ChooseBy } from './choose-by';

/** Chooses what is to be written: by ticks in the rows, or whole rooms, build sheets and batches at once. */
@Component({
  selector: 'dp-bench-choose',
  imports: [MatButtonToggleModule, MatCheckbox],
  template: `
    <span id="choose-by">Choose by</span>
    <mat-button-toggle-group aria-labelledby="choose-by" hideSingleSelectionIndicator [value]="by()" (change)="by.set($event.value)">
      @for (way of ways; track way) {
        <mat-button-toggle [value]="way">{{ way }}</mat-button-toggle>
      }
    </mat-button-toggle-group>
    @for (group of groups(); track group.name) {
      <mat-checkbox
        [checked]="countOf(group) === group.nodes.length"
        [indeterminate]="countOf(group) > 0 && countOf(group) < group.nodes.length"
        (change)="chosen.emit({ nodes: group.nodes, on: $event.checked })"
        >{{ group.name }} <span class="quiet">{{ group.nodes.length }}</span></mat-checkbox
      >
    } @empty {
      <span class="quiet">{{
        by() === 'tick' ? 'the boxes in the rows; none ticked: all that wait' : 'none of them was in a batch yet'
      }}</span>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 2px 16px;
      padding: 8px 16px 8px 56px;
    }
    mat-checkbox {
      max-width: 240px;
    }
    @media (max-width: 899px) {
      :host {
        padding-left: 12px;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class BenchChoose {
  private readonly api = inject(Api);
  /** Nodes that wait to be written. */
  readonly waiting = input.required<readonly Node[]>();
  readonly ticked = input.required<ReadonlySet<string>>();
  readonly chosen = output<{ nodes: readonly string[]; on: boolean }>();
  protected readonly ways = CHOOSE_BY;
  protected readonly by = signal<ChooseBy>('tick');
  private readonly batches = resource({
    params: () => (this.by() === 'batch' ? true : undefined),
    loader: () => this.api.call(provision.batches, {}),
  });
  protected readonly groups = computed((): Chosen[] => {
    const by = this.by();
    return by === 'tick' ? [] : groupsOf(this.waiting(), by, this.batches.hasValue() ? this.batches.value() : []);
  });
  protected countOf(group: Chosen): number {
    return group.nodes.filter((node) => this.ticked().has(node)).length;
  }
}
