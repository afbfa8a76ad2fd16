import { formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { FormControl, ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatMenuModule } from '@angular/material/menu';
import { MatInput } from '@angular/material/input';
import { ChoiceField, type Choice } from '../../parts/choice-field';
import { TextField, ValueField } from '../../parts/value-field';
import type { PlanDesk } from './plan-desk';
import { withFloor, withoutFloor } from './plan-floors';
import type { PlanTools } from './plan-tools';

/** What the tool in hand can be set to; with none in hand, the floor's own figures. */
@Component({
  selector: 'dp-plan-options',
  imports: [ChoiceField, MatButton, MatFormFieldModule, MatInput, MatMenuModule, ReactiveFormsModule, TextField, ValueField],
  template: `
    @let floor = desk().floor()!;
    @switch (hand().tool()) {
      @case ('wall') {
        <dp-choice-field
          fieldId="wall-material"
          label="of"
          [choices]="materials()"
          [value]="hand().material()"
          (changed)="hand().material.set($event)"
        />
        <dp-value-field
          label="thick"
          unit="mm"
          [min]="1"
          [max]="3000"
          [value]="hand().thickness()"
          (changed)="hand().thickness.set($event)"
        />
        <span class="quiet">Press corner after corner; Escape ends.</span>
      }
      @case ('room') {
        <span class="quiet">Press corner after corner; press the first again, or Enter, to close.</span>
      }
      @case ('opening') {
        <span class="quiet">Press on a wall.</span>
      }
      @case ('node') {
        @if (unplaced().length > 0) {
          <dp-choice-field
            label="next"
            [mono]="true"
            [choices]="nextNodes()"
            [value]="hand().nodeToPlace()"
            (changed)="hand().nodeToPlace.set($event)"
          />
          <span class="quiet">{{ unplaced().length }} without a place. Press where it stands.</span>
        } @else {
          <span class="quiet">Every node has its place.</span>
        }
      }
      @case ('zone') {
        <dp-choice-field
          label="of"
          [mono]="true"
          [choices]="placedNodes()"
          [value]="hand().zoneNode()"
          (changed)="hand().zoneNode.set($event)"
        />
        <span class="quiet">Draw a rectangle.</span>
      }
      @case ('measure') {
        <span>{{ measured() }}</span>
      }
      @case ('scale') {
        @if (hand().scaleSpots()) {
          <mat-form-field class="mono">
            <mat-label>These points are apart</mat-label>
            <input
              matInput
              id="plan-distance"
              inputmode="decimal"
              autocomplete="off"
              [formControl]="distance"
              (keydown.enter)="setScale()"
            />
            <span matTextSuffix class="unit">m</span>
          </mat-form-field>
          <button matButton="filled" type="button" (click)="setScale()">Set the scale</button>
        } @else {
          <span class="quiet">Press two points of the picture whose distance you know.</span>
        }
      }
      @default {
        @if (maker()) {
          <dp-text-field label="floor" [value]="floor.name" (changed)="setFloor({ name: $event })" />
          <dp-value-field
            label="at"
            unit="m"
            [min]="-100"
            [max]="500"
            [step]="0.1"
            [value]="floor.elevationMetres"
            (changed)="setFloor({ elevationMetres: $event })"
          />
          <dp-value-field
            label="slab under it"
            unit="dB"
            [min]="0"
            [max]="80"
            [value]="floor.slabLossDb"
            (changed)="setFloor({ slabLossDb: $event })"
          />
          <button matButton="outlined" type="button" [matMenuTriggerFor]="floors">Floors</button>
          <mat-menu #floors="matMenu">
            <button mat-menu-item type="button" (click)="addFloor(false)">Add an empty floor</button>
            <button mat-menu-item type="button" (click)="addFloor(true)">Copy this floor</button>
            <button mat-menu-item type="button" [disabled]="floorCount() < 2" (click)="removeFloor()">Take this floor off</button>
          </mat-menu>
        }
      }
    }
  `,
  styles: `
    :host {
      // One row whatever the tool: the drawing does not jump while one draws.
      display: flex;
      align-items: center;
      gap: 10px;
      min-height: 52px;
      padding: 8px 8px 6px 16px;
      overflow-x: auto;
      white-space: nowrap;
      font-size: 12px;
    }
    dp-value-field {
      width: 112px;
      flex: none;
    }
    dp-choice-field,
    dp-text-field,
    mat-form-field {
      width: 160px;
      flex: none;
    }
    .unit {
      padding-left: 6px;
      color: var(--ink-2);
    }
    button {
      flex: none;
    }
    @media (max-width: 899px) {
      :host {
        flex-wrap: wrap;
        white-space: normal;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PlanOptions {
  readonly desk = input.required<PlanDesk>();
  readonly hand = input.required<PlanTools>();
  /** Nodes without a place yet. */
  readonly unplaced = input.required<readonly { readonly id: string }[]>();
  readonly maker = input.required<boolean>();
  readonly said = output<{ text: string; bad: boolean }>();
  readonly scaled = output<void>();
  protected readonly distance = new FormControl('', { nonNullable: true });

  private readonly plan = computed(() => this.desk().plan());
  protected readonly floorCount = computed(() => this.plan()?.floors.length ?? 0);
  protected readonly materials = computed(() =>
    (this.plan()?.materials ?? []).map(({ id, name, lossDb }): Choice<string> => ({ value: id, words: `${name}, ${lossDb} dB` })),
  );
  protected readonly nextNodes = computed(() => this.unplaced().map(({ id }): Choice<string> => ({ value: id, words: id })));
  protected readonly placedNodes = computed(() =>
    (this.plan()?.nodes ?? []).map(({ node }): Choice<string> => ({ value: node, words: node })),
  );
  protected readonly measured = computed(() => {
    const metres = this.hand().measured();
    return metres === null ? 'Press two points.' : `${metres.toFixed(2)} m`;
  });

  protected setFloor(part: { name?: string; elevationMetres?: number; slabLossDb?: number }): void {
    this.desk().changeFloor((floor) => ({ ...floor, ...part }));
  }
  protected addFloor(copy: boolean): void {
    const [plan, floor] = [this.plan(), this.desk().floor()];
    if (!plan || !floor) return;
    const added = withFloor(plan, floor, copy);
    this.desk().change(added.plan);
    this.desk().floorId.set(added.id);
  }
  protected removeFloor(): void {
    const [plan, floor] = [this.plan(), this.desk().floor()];
    if (!plan || !floor || plan.floors.length < 2) return;
    this.desk().change(withoutFloor(plan, floor.id));
    this.desk().floorId.set(plan.floors.find(({ id }) => id !== floor.id)?.id ?? 'ground');
    this.said.emit({ text: `${floor.name} was taken off with what stood on it. Undo brings it back.`, bad: false });
  }
  /** The picture is made larger or smaller about its corner, so that the two points stand as far apart as was typed. */
  protected setScale(): void {
    const spots = this.hand().scaleSpots();
    const metres = Number(this.distance.value.replace(',', '.'));
    const picture = this.desk().floor()?.picture;
    if (!spots || !picture) return;
    const now = Math.hypot(spots[1][0] - spots[0][0], spots[1][1] - spots[0][1]);
    const metresPerPixel = picture.metresPerPixel * (metres / now);
    if (!(metres > 0) || now === 0 || !(metresPerPixel >= 0.0005 && metresPerPixel <= 5)) {
      this.said.emit({
        text: 'That distance makes an absurd scale: click two points further apart, and type how many metres lie between them.',
        bad: true,
      });
      return;
    }
    this.desk().changeFloor((floor) => ({ ...floor, picture: floor.picture ? { ...floor.picture, metresPerPixel } : null }));
    this.hand().take('select');
    this.distance.setValue('');
    this.said.emit({ text: `One metre is ${formatNumber(1 / metresPerPixel)} points of the picture now.`, bad: false });
    this.scaled.emit();
  }
}
