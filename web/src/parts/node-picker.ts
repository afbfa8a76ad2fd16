import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { MatAutocompleteModule } from '@angular/material/autocomplete';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { Store } from '@ngrx/store';
import { allNodes, placeFeature } from '../data/reducers';
import { hasWords } from './has-words';

/** Options shown at once; more are found by typing. */
const SHOWN = 60;

/** Chooses one node among many by typing a part of its name or room; by room. What is typed and not chosen is dropped. */
@Component({
  selector: 'dp-node-picker',
  imports: [MatAutocompleteModule, MatFormFieldModule, MatInput],
  template: `<mat-form-field class="mono">
    <mat-label>Node</mat-label>
    <input
      matInput
      #typed
      [id]="field()"
      [value]="node() ?? ''"
      placeholder="type a name or a room"
      autocomplete="off"
      spellcheck="false"
      [matAutocomplete]="list"
      (input)="wanted.set(typed.value)"
      (focus)="typed.select()"
      (blur)="typed.value = node() ?? ''"
    />
    <mat-autocomplete
      #list
      autoActiveFirstOption
      hideSingleSelectionIndicator
      (optionSelected)="picked.emit($event.option.value)"
      (closed)="wanted.set('')"
    >
      @for (group of groups(); track group.room) {
        <mat-optgroup [label]="group.room">
          @for (one of group.nodes; track one.id) {
            <mat-option [value]="one.id">{{ one.name === one.id ? one.id : one.name + ', ' + one.id }}</mat-option>
          }
        </mat-optgroup>
      }
      @if (more() > 0) {
        <mat-option disabled>{{ more() }} more: type a name or a room</mat-option>
      }
    </mat-autocomplete>
  </mat-form-field>`,
  styles: `
    mat-form-field {
      width: 220px;
    }
    @media (max-width: 899px) {
      mat-form-field {
        margin-top: 8px;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class NodePicker {
  private readonly store = inject(Store);
  /** The node chosen now. */
  readonly node = input.required<string | null>();
  /** The id of the field. */
  readonly field = input('node');
  readonly picked = output<string>();
  protected readonly wanted = signal('');
  private readonly nodes = this.store.selectSignal(allNodes.selectAll);
  private readonly rooms = this.store.selectSignal(placeFeature.selectRooms);
  private readonly found = computed(() => {
    const wanted = hasWords(this.wanted());
    const names = new Map(this.rooms().map((room) => [room.slug, room.name]));
    return this.nodes()
      .map((node) => ({ id: node.id, name: node.name, room: names.get(node.room) ?? node.room }))
      .filter(({ id, name, room }) => wanted(`${id} ${name} ${room}`));
  });
  protected readonly more = computed(() => Math.max(0, this.found().length - SHOWN));
  protected readonly groups = computed(() =>
    [...Map.groupBy(this.found().slice(0, SHOWN), ({ room }) => room)].map(([room, nodes]) => ({ room, nodes })),
  );
}
