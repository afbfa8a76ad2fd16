import type { PlanLink } from '@dewpost/core/radio';
import type { Material, PlacedNode } from '@dewpost/core/site-plan';
import { formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { MatSort, MatSortHeader } from '@angular/material/sort';
import { MatTableModule } from '@angular/material/table';
import { MatTooltip } from '@angular/material/tooltip';
import { StateGlyph, type StateMark } from '../../parts/state-glyph';
import { LongRows, pagesOf } from '../../parts/long-rows';
import { sortedRows } from '../../parts/sorted-rows';
import { downloadCsv } from '../../parts/download-csv';
import { WallSwatch } from './wall-swatch';

export interface LinkRow {
  readonly node: PlacedNode;
  readonly link: PlanLink | null;
}

/** Every node's link, the thinnest first: how far, through what, how strong both ways, and what it is worth. */
@Component({
  selector: 'dp-link-table',
  imports: [LongRows, MatSort, MatSortHeader, MatTableModule, MatTooltip, StateGlyph, WallSwatch],
  templateUrl: './link-table.html',
  styleUrl: './link-table.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class LinkTable {
  readonly rows = input.required<readonly LinkRow[]>();
  /** By name, or as they come: a column of figures has no room for an arrow beside it. */
  protected readonly sorted = sortedRows<LinkRow>(this.rows, { node: ({ node }) => node.node });
  protected readonly pages = pagesOf(this.sorted.rows);
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
