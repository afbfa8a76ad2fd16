import { LEVELS, type Bucket, type Level } from '@dewpost/core/series';

export const LEVEL_CODE: Record<Level, number> = { minute: 0, quarter: 1, day: 2 };
const WIDTH = { minute: '1 minute', quarter: '15 minutes' } as const;

/** The begin of the stretch that a time lies in, as SQL; days want the site's zone as a binding. */
export const stretchOf = (level: Level, column: string): string =>
  level === 'day' ? `date_trunc('day', ${column}, ?)` : `date_bin('${WIDTH[level]}', ${column}, '2000-01-01T00:00:00Z')`;

/** What a stretch keeps of readings, as SQL over rows of `reading`. Quality 2 is bad; flag 1 is late. */
export const OF_READINGS = `
  min(value) filter (where quality < 2) as low, max(value) filter (where quality < 2) as high,
  coalesce(sum(value) filter (where quality < 2), 0) as total, (count(*) filter (where quality < 2))::int as count,
  (count(*) filter (where quality = 1))::int as suspect, (count(*) filter (where quality = 2))::int as bad,
  (count(*) filter (where flags & 1 = 1))::int as late,
  (array_agg(value order by at) filter (where quality < 2))[1] as first, min(at) filter (where quality < 2) as first_at,
  (array_agg(value order by at desc) filter (where quality < 2))[1] as last, max(at) filter (where quality < 2) as last_at`;

/** The same over shorter stretches, rows of `rollup`. */
export const OF_STRETCHES = `
  min(low) as low, max(high) as high, sum(total) as total, sum(count)::int as count, sum(suspect)::int as suspect, sum(bad)::int as bad,
  sum(late)::int as late,
  (array_agg(first order by first_at) filter (where count > 0))[1] as first, min(first_at) as first_at,
  (array_agg(last order by last_at desc) filter (where count > 0))[1] as last, max(last_at) as last_at`;

export const COLUMNS = 'low, high, total, count, suspect, bad, late, first, first_at, last, last_at';

export interface RollupRow {
  at: number;
  low: number | null;
  high: number | null;
  total: number;
  count: number;
  suspect: number;
  bad: number;
  late: number;
  first: number | null;
  first_at: number | null;
  last: number | null;
  last_at: number | null;
}

const ms = (column: string): string => `round(extract(epoch from ${column}) * 1000)::float8`;
/** The same columns with times in ms, to be read by `bucketOfRow`. */
export const IN_MS = `${ms('at')} as at, low, high, total::float8 as total, count, suspect, bad, late, first, ${ms('first_at')} as first_at, last, ${ms('last_at')} as last_at`;

export const bucketOfRow = (row: RollupRow): Bucket => ({
  at: row.at,
  low: row.low ?? Infinity,
  high: row.high ?? -Infinity,
  total: row.total,
  count: row.count,
  suspect: row.suspect,
  bad: row.bad,
  late: row.late,
  first: row.first ?? NaN,
  firstAt: row.first_at ?? Infinity,
  last: row.last ?? NaN,
  lastAt: row.last_at ?? -Infinity,
});

/** The begin of the quarter that a time (ms) lies in. */
export const quarterBegin = (at: number): number => Math.floor(at / LEVELS.quarter) * LEVELS.quarter;
