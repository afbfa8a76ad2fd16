import type { PlanLink } from '@dewpost/core/radio';
import type { Material, PlacedNode } from '@dewpost/core/site-plan';
import { formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { MatTableModule } from '@angular/material/table';
import { MatTooltip } from '@angular/material/tooltip';
import { StateGlyph, type StateMark } from '../../parts/state-glyph';
import { downloadCsv } from '../../parts/download-csv';
import { WallSwatch } from './wall-swatch';

export interface LinkRow {
  readonly node: PlacedNode;
  readonly link: PlanLink | null;
}

/** Every node's link, the thinnest first: how far, through what, how strong both ways, and what it is worth. */
@Component({
  selector: 'dp-link-table',
  imports: [MatTableModule, MatTooltip, StateGlyph, WallSwatch],
  template: `<div class="scroll" tabindex="0" role="region" aria-label="Links">
    <table mat-table class="links" [dataSource]="rows()" [trackBy]="byNode">
      <caption class="out-of-sight">
        Links, the thinnest first
      </caption>
      <ng-container matColumnDef="state">
        <th mat-header-cell *matHeaderCellDef class="margin"><span class="out-of-sight">State</span></th>
        <td mat-cell *matCellDef="let row" class="margin"><dp-state [of]="states().get(row.node.node) ?? 'planned'" [size]="12" /></td>
      </ng-container>
      <ng-container matColumnDef="node">
        <th mat-header-cell *matHeaderCellDef>Link</th>
        <td mat-cell *matCellDef="let row">
          <button
            type="button"
            class="mono"
            [attr.aria-pressed]="row.node.node === held()"
            [matTooltip]="row.node.node"
            (click)="chosen.emit(row.node.node); $event.stopPropagation()"
          >
            {{ row.node.node }}
          </button>
        </td>
      </ng-container>
      <ng-container matColumnDef="far">
        <th mat-header-cell *matHeaderCellDef class="r">far<br />m</th>
        <td mat-cell *matCellDef="let row" class="r mono">{{ row.link ? number(row.link.path.metres, 1) : '' }}</td>
      </ng-container>
      <ng-container matColumnDef="walls">
        <th mat-header-cell *matHeaderCellDef>walls</th>
        <td mat-cell *matCellDef="let row" class="walls">
          @if (row.link; as link) {
            @for (wall of crossed(link); track wall.material.id) {
              <span [matTooltip]="wall.material.name"
                ><dp-wall-swatch [of]="wall.material" /><b class="mono">{{ wall.count }}</b></span
              >
            }
            @if (link.path.slabs > 0) {
              <span matTooltip="floors between"
                >floor <b class="mono">{{ link.path.slabs }}</b></span
              >
            }
          } @else {
            <span class="none-here">no access point on the plan</span>
          }
        </td>
      </ng-container>
      <ng-container matColumnDef="levels">
        <th mat-header-cell *matHeaderCellDef class="r">down, up<br />dBm</th>
        <td mat-cell *matCellDef="let row" class="r mono">
          {{ row.link ? number(row.link.downDbm) + ' ' + number(row.link.upDbm) : '' }}
        </td>
      </ng-container>
      <ng-container matColumnDef="margin">
        <th mat-header-cell *matHeaderCellDef class="r">margin<br />dB</th>
        <td mat-cell *matCellDef="let row" class="r mono">
          <b>{{ row.link ? number(row.link.marginDb) : '' }}</b>
        </td>
      </ng-container>
      <ng-container matColumnDef="good">
        <th mat-header-cell *matHeaderCellDef class="r" matTooltip="Chance that the link is good enough, by the error of the prediction">
          good<br />%
        </th>
        <td mat-cell *matCellDef="let row" class="r mono">{{ row.link ? number(row.link.chanceGood * 100) : '' }}</td>
      </ng-container>
      <ng-container matColumnDef="verdict">
        <th mat-header-cell *matHeaderCellDef>verdict</th>
        <td mat-cell *matCellDef="let row">
          @if (row.link; as link) {
            <span class="verdict {{ link.class }}"></span>{{ link.class }}
          }
        </td>
      </ng-container>
      <tr mat-header-row *matHeaderRowDef="columns; sticky: true"></tr>
      <tr
        mat-row
        *matRowDef="let row; columns: columns"
        [class.bad]="!row.link || row.link.class === 'short'"
        [class.held]="row.node.node === held()"
        (click)="chosen.emit(row.node.node)"
      ></tr>
    </table>
  </div>`,
  styleUrl: './link-table.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class LinkTable {
  readonly rows = input.required<readonly LinkRow[]>();
  readonly materials = input.required<readonly Material[]>();
  readonly states = input<ReadonlyMap<string, StateMark>>(new Map());
  readonly held = input<string | null>(null);
  readonly chosen = output<string>();
  protected readonly columns = ['state', 'node', 'far', 'walls', 'levels', 'margin', 'good', 'verdict'];
  protected readonly byNode = (_: number, { node }: LinkRow): string => node.node;

  protected number(value: number, decimals = 0): string {
    return formatNumber(value, decimals);
  }
  protected crossed(link: PlanLink): { material: Material; count: number }[] {
    return link.path.crossed.flatMap((count, i) => {
      const material = this.materials()[i];
      return material && count > 0 ? [{ material, count }] : [];
    });
  }

  /** The table as a file. */
  csv(): void {
    downloadCsv('links.csv', [
      [
        'node',
        'station',
        'metres',
        'walls',
        'floors',
        'down dBm',
        'up dBm',
        'margin dB',
        'error dB',
        'chance good enough',
        'share of time',
        'cable dB',
        'node radiates dBm',
        'limit dBm',
        'verdict',
      ],
      ...this.rows().map(({ node, link }) =>
        link
          ? [
              node.node,
              link.station.name,
              link.path.metres.toFixed(1),
              this.crossed(link)
                .map(({ material, count }) => `${count} ${material.name}`)
                .join('; '),
              String(link.path.slabs),
              ...[link.downDbm, link.upDbm, link.marginDb, link.errorDb].map((value) => value.toFixed(1)),
              link.chanceGood.toFixed(3),
              link.timeShare.toFixed(3),
              ...[link.cableDb, link.nodeRadiatedDbm, link.limitDbm].map((value) => value.toFixed(1)),
              link.class,
            ]
          : [node.node, '', '', '', '', '', '', '', '', '', '', '', '', '', 'no station'],
      ),
    ]);
  }
}
