import type { Point } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { MatButtonToggle, MatButtonToggleGroup } from '@angular/material/button-toggle';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { allPoints } from '../../data/reducers';
import { PointPicker } from '../../parts/point-picker';
import { typedNumber } from '../../parts/typed-number';
import { JUDGED_KINDS, type JudgedDraft } from './judged-draft';

/** What of its point a rule judges: the value, or what is made of its readings. The setpoint itself is asked beside it. */
@Component({
  selector: 'dp-rule-judges',
  imports: [MatFormFieldModule, MatInput, MatSelectModule, PointPicker],
  template: `
    <mat-form-field class="what">
      <mat-label>What is judged</mat-label>
      <mat-select id="t-judges" [value]="draft().kind()" (selectionChange)="draft().kind.set($event.value)" hideSingleSelectionIndicator>
        @for (each of kinds; track each.kind) {
          <mat-option [value]="each.kind">{{ each.words }}</mat-option>
        }
      </mat-select>
    </mat-form-field>
    @switch (draft().kind()) {
      @case ('band') {
        <mat-form-field class="mono">
          <mat-label>Lower end</mat-label>
          <input
            matInput
            #low
            id="t-low"
            type="number"
            step="any"
            [value]="draft().low() ?? ''"
            (input)="draft().low.set(numberOf(low.value))"
          />
          <span matTextSuffix class="unit">{{ unit() }}</span>
        </mat-form-field>
      }
      @case ('count') {
        <mat-form-field class="mono">
          <mat-label>Comes to</mat-label>
          <input
            matInput
            #level
            id="t-level"
            type="number"
            step="any"
            [value]="draft().level() ?? ''"
            (input)="draft().level.set(numberOf(level.value))"
          />
          <span matTextSuffix class="unit">{{ unit() }}</span>
          <mat-hint>from below</mat-hint>
        </mat-form-field>
      }
      @case ('difference') {
        <dp-point-picker
          inputId="t-other"
          label="Held against"
          [points]="alike()"
          [chosen]="draft().other()"
          (picked)="draft().other.set($event)"
        />
      }
    }
    @if (draft().kind() === 'rate' || draft().kind() === 'count') {
      <mat-form-field class="mono">
        <mat-label>Within</mat-label>
        <input
          matInput
          #within
          id="t-within"
          type="number"
          step="any"
          min="0"
          [value]="draft().minutes() ?? ''"
          (input)="draft().minutes.set(numberOf(within.value))"
        />
        <span matTextSuffix class="unit">min</span>
      </mat-form-field>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-wrap: wrap;
      gap: 8px 12px;
      align-items: flex-start;
    }
    .what {
      flex: 1 1 260px;
    }
    .mono {
      width: 150px;
    }
    dp-point-picker {
      flex: 1 1 240px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RuleJudges {
  readonly draft = input.required<JudgedDraft>();
  readonly point = input.required<Point | null>();
  private readonly points = inject(Store).selectSignal(allPoints.selectAll);
  protected readonly kinds = JUDGED_KINDS;
  protected readonly numberOf = typedNumber;
  protected readonly unit = computed(() => this.point()?.calibratesTo.unit ?? '');
  /** Others that can be held against: of the same unit. */
  protected readonly alike = computed(() =>
    this.points().filter((other) => other.kind !== 'switched' && other.id !== this.point()?.id && other.unit === this.unit()),
  );
}

/** A second condition, on another point: both must be met, or either. */
@Component({
  selector: 'dp-rule-also',
  imports: [MatButtonToggle, MatButtonToggleGroup, MatFormFieldModule, MatInput, PointPicker],
  template: `
    <mat-button-toggle-group
      [value]="draft().join()"
      (change)="draft().join.set($event.value)"
      hideSingleSelectionIndicator
      aria-label="A second condition"
    >
      <mat-button-toggle [value]="null">by itself</mat-button-toggle>
      <mat-button-toggle value="and">and another</mat-button-toggle>
      <mat-button-toggle value="or">or another</mat-button-toggle>
    </mat-button-toggle-group>
    @if (draft().join() !== null) {
      <div class="line">
        <dp-point-picker
          inputId="t-also"
          label="Its point"
          [points]="others()"
          [chosen]="draft().alsoPoint()"
          (picked)="draft().alsoPoint.set($event)"
        />
        <mat-button-toggle-group
          [value]="draft().alsoSide()"
          (change)="draft().alsoSide.set($event.value)"
          hideSingleSelectionIndicator
          aria-label="Side of the second condition"
        >
          <mat-button-toggle value="low">≤</mat-button-toggle>
          <mat-button-toggle value="high">≥</mat-button-toggle>
        </mat-button-toggle-group>
        <mat-form-field class="mono">
          <mat-label>Its setpoint</mat-label>
          <input
            matInput
            #setpoint
            id="t-also-setpoint"
            type="number"
            step="any"
            [value]="draft().alsoSetpoint() ?? ''"
            (input)="draft().alsoSetpoint.set(numberOf(setpoint.value))"
          />
          <span matTextSuffix class="unit">{{ unit() }}</span>
        </mat-form-field>
      </div>
      <p class="quiet">While what it says is not known and fresh, it neither trips nor clears by it.</p>
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
    dp-point-picker {
      flex: 1 1 220px;
    }
    .mono {
      width: 130px;
    }
    p {
      margin: 0;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RuleAlso {
  readonly draft = input.required<JudgedDraft>();
  readonly point = input.required<Point | null>();
  private readonly points = inject(Store).selectSignal(allPoints.selectAll);
  protected readonly numberOf = typedNumber;
  protected readonly others = computed(() => this.points().filter((other) => other.id !== this.point()?.id));
  protected readonly unit = computed(() => this.points().find(({ id }) => id === this.draft().alsoPoint())?.unit ?? '');
}
