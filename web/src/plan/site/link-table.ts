import type { PlanLink } from '@dewpost/core/radio';
import type { Material, PlacedNode } from '@dewpost/core/site-plan';
import { formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
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
  imports: [StateGlyph, WallSwatch],
  template: `<div class="scroll" tabindex="0" role="region" aria-label="Links">
    <table class="links">
      <thead>
        <tr>
          <th class="margin"></th>
          <th>Link</th>
          <th class="r">far<br />m</th>
          <th>walls</th>
          <th class="r">down, up<br />dBm</th>
          <th class="r">margin<br />dB</th>
          <th class="r" title="Chance that the link is good enough, by the error of the prediction">good<br />%</th>
          <th>verdict</th>
        </tr>
      </thead>
      <tbody>
        @for (row of rows(); track row.node.node) {
          <tr
            [class.bad]="!row.link || row.link.class === 'short'"
            [class.held]="row.node.node === held()"
            (click)="chosen.emit(row.node.node)"
          >
            <td class="margin"><dp-state [of]="states().get(row.node.node) ?? 'planned'" [size]="12" /></td>
            <th scope="row">
              <button type="button" class="mono" [attr.aria-pressed]="row.node.node === held()" [title]="row.node.node">
                {{ row.node.node }}
              </button>
            </th>
            @if (row.link; as link) {
              <td class="r mono">{{ number(link.path.metres, 1) }}</td>
              <td class="walls">
                @for (wall of crossed(link); track wall.material.id) {
                  <span [title]="wall.material.name"
                    ><dp-wall-swatch [of]="wall.material" /><b class="mono">{{ wall.count }}</b></span
                  >
                }
                @if (link.path.slabs > 0) {
                  <span title="floors between"
                    >floor <b class="mono">{{ link.path.slabs }}</b></span
                  >
                }
              </td>
              <td class="r mono">{{ number(link.downDbm) }} {{ number(link.upDbm) }}</td>
              <td class="r mono">
                <b>{{ number(link.marginDb) }}</b>
              </td>
              <td class="r mono">{{ number(link.chanceGood * 100) }}</td>
              <td><span class="verdict {{ link.class }}"></span>{{ link.class }}</td>
            } @else {
              <td colspan="6" class="none-here">no access point on the plan</td>
            }
          </tr>
        }
      </tbody>
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
  private readonly byIndex = computed(() => this.materials());

  protected number(value: number, decimals = 0): string {
    return formatNumber(value, decimals);
  }
  protected crossed(link: PlanLink): { material: Material; count: number }[] {
    return link.path.crossed.flatMap((count, i) => {
      const material = this.byIndex()[i];
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
