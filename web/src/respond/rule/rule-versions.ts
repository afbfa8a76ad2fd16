import { respond, type Point, type Threshold } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input, resource } from '@angular/core';
import { MatExpansionModule } from '@angular/material/expansion';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../../data/api';
import { selectTimezone } from '../../data/selectors';
import { PlainTable, type PlainColumn } from '../../parts/plain-table';
import { dayAndTime } from '../../parts/times';
import { limitWords } from './rule-words';

const COLUMNS: readonly PlainColumn[] = [
  { id: 'version', label: 'Version', kind: 'figure' },
  { id: 'at', label: 'Since', kind: 'words' },
  { id: 'by', label: 'By', kind: 'words' },
  { id: 'limit', label: 'Limit', kind: 'words' },
  { id: 'why', label: 'Why', kind: 'words' },
];

/** What a rule has been: every version with who put it in force, when and why. */
@Component({
  selector: 'dp-rule-versions',
  imports: [MatExpansionModule, PlainTable],
  template: `<mat-expansion-panel class="mat-elevation-z0">
    <mat-expansion-panel-header><mat-panel-title>What it has been</mat-panel-title></mat-expansion-panel-header>
    <ng-template matExpansionPanelContent>
      @if (problem(); as words) {
        <p class="said" role="alert">{{ words }}</p>
      } @else if (rows().length > 0) {
        <dp-plain-table caption="Versions" [quietCaption]="true" [pairs]="true" [columns]="columns" [rows]="rows()" />
      } @else {
        <p class="waiting">Reading its versions</p>
      }
    </ng-template>
  </mat-expansion-panel>`,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RuleVersions {
  private readonly api = inject(Api);
  private readonly zone = inject(Store).selectSignal(selectTimezone);
  readonly rule = input.required<Threshold>();
  readonly point = input.required<Point>();
  protected readonly columns = COLUMNS;
  private readonly read = resource({
    params: () => ({ id: this.rule().id }),
    loader: ({ params }) => this.api.call(respond.thresholdVersions, { params }),
  });
  protected readonly problem = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly rows = computed(() =>
    (this.read.hasValue() ? this.read.value() : []).map((one) => ({
      version: String(one.version),
      at: dayAndTime(one.at, this.zone()),
      by: one.by,
      limit: `${limitWords({ ...this.rule(), ...one }, this.point().calibratesTo)}, ${one.severity}`,
      why: one.why || '–',
    })),
  );
}
