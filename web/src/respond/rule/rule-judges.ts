import type { Point } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { MatButtonToggle, MatButtonToggleGroup } from '@angular/material/button-toggle';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { allPoints } from '../../data/reducers';
import { TypedNumberField } from '../../parts/typed-number-field';
import { PointPicker } from '../../parts/point-picker';
import { JUDGED_KINDS, type JudgedDraft } from './judged-draft';

/** What of its point a rule judges: the value, or what is made of its readings. The setpoint itself is asked beside it. */
@Component({
  selector: 'dp-rule-judges',
  imports: [MatFormFieldModule, MatSelectModule, TypedNumberField, PointPicker],
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
        <dp-typed-number-field fieldId="t-low" label="Lower end" [unit]="unit()" [(value)]="draft().low" />
      }
      @case ('count') {
        <dp-typed-number-field fieldId="t-level" label="Comes to" hint="from below" [unit]="unit()" [(value)]="draft().level" />
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
      <dp-typed-number-field fieldId="t-within" label="Within" unit="min" [min]="0" [(value)]="draft().minutes" />
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
    dp-typed-number-field {
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
  protected readonly unit = computed(() => this.point()?.calibratesTo.unit ?? '');
  /** Others that can be held against: of the same unit. */
  protected readonly alike = computed(() =>
    this.points().filter((other) => other.kind !== 'switched' && other.id !== this.point()?.id && other.unit === this.unit()),
  );
}

/** A second condition, on another point: both must be met, or either. */
@Component({
  selector: 'dp-rule-also',
  imports: [MatButtonToggle, MatButtonToggleGroup, TypedNumberField, PointPicker],
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
        <dp-typed-number-field fieldId="t-also-setpoint" label="Its setpoint" [unit]="unit()" [(value)]="draft().alsoSetpoint" />
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
    dp-typed-number-field {
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
  protected readonly others = computed(() => this.points().filter((other) => other.id !== this.point()?.id));
  protected readonly unit = computed(() => this.points().find(({ id }) => id === this.draft().alsoPoint())?.unit ?? '');
}
