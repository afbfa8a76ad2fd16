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
  templateUrl: './plan-options.html',
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
