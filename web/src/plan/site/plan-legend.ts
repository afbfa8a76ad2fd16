import type { SitePlan } from '@dewpost/core/site-plan';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatCheckbox } from '@angular/material/checkbox';
import { ChoiceField, type Choice } from '../../parts/choice-field';
import type { Coverage } from './coverage';
import { MARGIN_WORDS } from './plan-drawing';
import type { PlanView } from './plan-view';
import { WallSwatch } from './wall-swatch';

/** Beneath the drawing: how near it is seen, whose coverage is shown, and what its marks mean. */
@Component({
  selector: 'dp-plan-legend',
  imports: [ChoiceField, MatButton, MatCheckbox, WallSwatch],
  template: `
    <div class="views">
      <button matButton="outlined" type="button" aria-label="Nearer" (click)="view().zoomBy(1.4)">+</button>
      <button matButton="outlined" type="button" aria-label="Further" (click)="view().zoomBy(0.71)">−</button>
      <button matButton="outlined" type="button" (click)="view().fit()">All</button>
      <mat-checkbox [checked]="coverage().shown()" (change)="coverage().shown.set($event.checked)">coverage</mat-checkbox>
      <dp-choice-field
        label="Coverage of"
        [choices]="stations()"
        [value]="coverage().station()"
        (changed)="coverage().station.set($event)"
      />
      @if (coverage().run.progress() !== null) {
        <span class="quiet">working out {{ (coverage().run.progress()! * 100).toFixed(0) }} %</span>
        <button matButton="outlined" type="button" (click)="coverage().run.cancel()">Stop</button>
      }
      @if (coverage().run.problem(); as text) {
        <span class="wrong" role="alert">{{ text }}</span>
      }
    </div>
    <div>
      <b>Margin</b>
      @for (margin of margins; track margin.name) {
        <span><i class="verdict {{ margin.name }}"></i>{{ margin.says }}</span>
      }
    </div>
    <div>
      <b>Walls, loss each</b>
      @for (material of plan().materials; track material.id) {
        <span><dp-wall-swatch [of]="material" />{{ material.name }}, {{ material.lossDb }} dB{{ material.fitted ? ', fitted' : '' }}</span>
      }
    </div>
  `,
  styles: `
    :host {
      padding: 6px 12px 8px 16px;
      font-size: 12px;
      display: grid;
      gap: 5px;
    }
    div {
      display: flex;
      flex-wrap: wrap;
      gap: 3px 14px;
      align-items: center;
    }
    span {
      display: inline-flex;
      align-items: center;
      gap: 5px;
      color: var(--ink-2);
    }
    .views {
      gap: 6px;
      padding-top: 6px;
    }
    .views button {
      min-width: 36px;
    }
    dp-choice-field {
      width: 150px;
    }
    .wrong {
      color: var(--carmine);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PlanLegend {
  readonly plan = input.required<SitePlan>();
  readonly view = input.required<PlanView>();
  readonly coverage = input.required<Coverage>();
  protected readonly margins = MARGIN_WORDS;
  protected readonly stations = computed((): Choice<string | null>[] => [
    { value: null, words: 'best of all' },
    ...this.plan().stations.map(({ id, name }) => ({ value: id, words: name })),
  ]);
}
