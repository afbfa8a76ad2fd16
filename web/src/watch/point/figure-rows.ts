import type { Point, Threshold } from '@dewpost/contract';
import { formatDuration, formatNumber } from '@dewpost/core/quantity';
import type { figuresOf } from '@dewpost/core/series';
import { dateAndTime } from '../../parts/times';

/** A figure with what it is and what belongs to it. */
export interface FigureRow {
  readonly what: string;
  readonly figure: string;
  readonly beside: string;
}

/** What the visible range comes to, by its buckets: ends, middle, and how long it was beyond each limit. */
export function spanRows(
  all: NonNullable<ReturnType<typeof figuresOf>>,
  point: Pick<Point, 'decimals' | 'unit'>,
  beyond: readonly { limit: Pick<Threshold, 'side' | 'setpoint' | 'severity'>; ms: number }[],
  zone: string,
): readonly FigureRow[] {
  const figure = (value: number, more = 0): string => formatNumber(value, point.decimals + more);
  return [
    { what: 'highest', figure: figure(all.high.high), beside: dateAndTime(all.high.at, zone) },
    { what: 'lowest', figure: figure(all.low.low), beside: dateAndTime(all.low.at, zone) },
    { what: 'mean', figure: figure(all.mean, 1), beside: point.unit },
    { what: 'median', figure: figure(all.median, 1), beside: 'of the means' },
    { what: '5 to 95 %', figure: figure(all.p95 - all.p05, 1), beside: `${figure(all.p05)} to ${figure(all.p95)}` },
    ...beyond.map(({ limit, ms }) => ({
      what: `${limit.side === 'high' ? 'over' : 'under'} ${figure(limit.setpoint)}`,
      figure: formatDuration(ms),
      beside: limit.severity,
    })),
  ];
}

/** How many readings there are of each quality, as shares of those that were due; `null`: nobody can say how many. */
export function readingRows(
  all: NonNullable<ReturnType<typeof figuresOf>>,
  due: number | null,
  missing: number | null,
): readonly FigureRow[] {
  const share = (count: number): string => (due !== null && due > 0 && count > 0 ? `${((100 * count) / due).toFixed(1)} %` : '');
  const row = (what: string, count: number): FigureRow => ({ what, figure: formatNumber(count), beside: share(count) });
  return [
    row('good', all.count - all.suspect),
    { ...row('of all late', all.late), beside: '' },
    row('suspect', all.suspect),
    row('bad', all.bad),
    ...(missing === null ? [] : [row('missing', missing)]),
  ];
}
