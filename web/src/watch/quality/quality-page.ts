import { watch, type PointQuality } from '@dewpost/contract';
import { counted } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../../data/api';
import { nodeNames } from '../../data/node-names';
import { allNodes, allPoints } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import { downloadCsv } from '../../parts/download-csv';
import { LongRows, pagesOf } from '../../parts/long-rows';
import { dateAndTime } from '../../parts/times';
import { WatchPages } from '../watch-pages';
import { QualityLane } from './quality-lane';

const SPANS = [
  [24, '24 h'],
  [336, '14 d'],
  [2160, '90 d'],
] as const;
/** Less than this of a point's readings is nothing to do. */
const NOTHING = 0.001;
const ORDERS = [
  ['share', 'by share'],
  ['cause', 'by cause'],
  ['room', 'by room'],
] as const;

/** Points by how much of their record is not good: where, what it probably is, and what to do next. */
@Component({
  selector: 'dp-quality-page',
  imports: [LongRows, MatButton, MatButtonToggleModule, QualityLane, RouterLink, WatchPages],
  templateUrl: './quality-page.html',
  styleUrl: './quality-page.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class QualityPage {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly nameOf = nodeNames();
  private readonly points = this.store.selectSignal(allPoints.selectEntities);
  private readonly nodes = this.store.selectSignal(allNodes.selectEntities);
  private readonly zone = this.store.selectSignal(selectTimezone);
  protected readonly spans = SPANS;
  protected readonly orders = ORDERS;
  protected readonly hours = signal<number>(336);
  protected readonly order = signal<'share' | 'cause' | 'room'>('share');
  protected readonly counted = counted;

  protected readonly fetched = resource({
    params: () => ({ hours: this.hours() }),
    loader: ({ params }) => this.api.call(watch.quality, { query: params }),
  });
  protected readonly reply = computed(() => (this.fetched.hasValue() ? this.fetched.value() : null));
  protected readonly failed = computed(() => (this.fetched.error() ? messageOf(this.fetched.error()) : null));
  private readonly known = computed(() =>
    (this.reply()?.points ?? []).flatMap((quality) => {
      const point = this.points()[quality.point];
      return point ? [{ quality, point, room: this.nodes()[point.node]?.room ?? '' }] : [];
    }),
  );
  protected readonly rows = computed(() => {
    const rows = this.known().filter(({ quality }) => quality.share >= NOTHING || quality.late > 0);
    const by = this.order();
    if (by === 'share') return rows;
    const key = by === 'cause' ? (row: (typeof rows)[number]) => row.quality.cause.code : (row: (typeof rows)[number]) => row.room;
    return [...rows].sort((a, b) => key(a).localeCompare(key(b)) || b.quality.share - a.quality.share);
  });
  protected readonly pages = pagesOf(this.rows);
  protected readonly rest = computed(() => this.known().length - this.rows().length);
  protected readonly words = computed(() => {
    const all = this.known();
    if (all.length === 0) return '';
    const due = all.reduce((sum, { quality }) => sum + quality.used + quality.bad + quality.missing, 0);
    const not = all.reduce((sum, { quality }) => sum + quality.suspect + quality.bad + quality.missing, 0);
    const good = due === 0 ? 100 : (100 * (due - not)) / due;
    return `${counted(all.length, 'point')}: ${good.toFixed(1)} % good; ${this.rows().length === 0 ? 'nothing to do' : `${this.rows().length} with something amiss`}`;
  });

  protected percent({ share }: PointQuality): string {
    return (100 * share).toFixed(share < 0.1 ? 1 : 0);
  }
  protected said({ suspect, bad, missing, late }: PointQuality): string {
    return [
      [suspect, 'suspect'],
      [bad, 'bad'],
      [missing, 'missing'],
      [late, 'late'],
    ]
      .filter(([count]) => count !== 0)
      .map(([count, what]) => `${count} ${what}`)
      .join(', ');
  }
  protected when(ms: number): string {
    return dateAndTime(ms, this.zone());
  }
  protected csv(): void {
    downloadCsv('quality.csv', [
      ['node', 'point', 'used', 'suspect', 'bad', 'missing', 'late', 'share not good', 'likely cause', 'figure', 'next step'],
      ...this.known().map(({ quality, point }) => [
        ...[point.node, point.name, ...[quality.used, quality.suspect, quality.bad, quality.missing, quality.late].map(String)],
        ...[quality.share.toFixed(4), quality.cause.words, quality.cause.figure, quality.cause.next],
      ]),
    ]);
  }
}
