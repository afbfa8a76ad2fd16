import type { ReadingRow } from '@dewpost/contract';
import type { Database } from '../database/connect';
import { ProblemError } from '../problem/problem';

export interface Span {
  from: number;
  to: number;
}

/** The least that a reading is to be: `bad` takes all of them, `suspect` leaves the bad ones out, `good` takes the good alone. */
export type LeastQuality = 'good' | 'suspect' | 'bad';
/** The worst code of `reading.quality` that is taken. */
export const WORST: Readonly<Record<LeastQuality, number>> = { good: 0, suspect: 1, bad: 2 };

/** The part of a span in which a node was live; what it sent before were trials. Empty spans end where they begin. */
export const liveSpan = ({ from, to }: Span, liveSince: number | null): Span => {
  const begins = Math.max(from, liveSince ?? from);
  return { from: begins, to: Math.max(begins, to) };
};

/** A span from a query's texts (RFC 3339 or ms); an hour up to now where nothing is said. Throws 422 where it cannot be read. */
export function spanOf(query: { from?: string; to?: string }, now: number): Span {
  const read = (text: string | undefined, name: string): number | null => {
    if (text === undefined) return null;
    const at = /^\d+(\.\d+)?$/.test(text) ? Number(text) : Date.parse(text);
    if (!Number.isFinite(at))
      throw new ProblemError(422, 'Cannot be used', `query.${name}: give a time as 2026-11-24T08:00:00Z or as milliseconds since 1970`);
    return at;
  };
  const to = read(query.to, 'to') ?? now;
  const from = read(query.from, 'from') ?? to - 3_600_000;
  if (from > to) throw new ProblemError(422, 'Cannot be used', 'query.from lies after query.to');
  return { from, to };
}

/**
 * Readings of a point in a span, in order of time. Where there are more than `max`, the lowest and the highest of each of
 * `max / 2` equal stretches, so that no extreme is lost.
 */
export async function readHistory(
  database: Database,
  point: number,
  span: Span,
  max: number,
  least: LeastQuality = 'bad',
): Promise<{ thinned: boolean; readings: ReadingRow[] }> {
  const from = new Date(span.from);
  const to = new Date(span.to);
  const counted = await database.raw<{ rows: { count: number }[] }>(
    'select count(*)::int as count from reading where point_id = ? and at between ? and ? and quality <= ?',
    [point, from, to, WORST[least]],
  );
  const count = counted.rows[0]?.count ?? 0;
  if (count <= max) {
    const all = await database.raw<{ rows: Row[] }>(
      'select round(extract(epoch from at) * 1000)::float8 as at, value, quality from reading where point_id = ? and at between ? and ? and quality <= ? order by at',
      [point, from, to, WORST[least]],
    );
    return { thinned: false, readings: all.rows.map(rowOf) };
  }
  const stretch = Math.max(1, (span.to - span.from + 1) / Math.max(1, Math.floor(max / 2)));
  const thinned = await database.raw<{ rows: Row[] }>(
    `with r as (
       select round(extract(epoch from at) * 1000)::float8 as at, value, quality,
              floor((extract(epoch from at) * 1000 - ?::float8) / ?::float8) as bucket
       from reading where point_id = ? and at between ? and ? and quality <= ?
     ), ranked as (
       select *, row_number() over (partition by bucket order by value, at) as low, row_number() over (partition by bucket order by value desc, at) as high from r
     )
     select at, value, quality from ranked where low = 1 or high = 1 order by at`,
    [span.from, stretch, point, from, to, WORST[least]],
  );
  return { thinned: true, readings: thinned.rows.map(rowOf) };
}

/** Every reading of a span, at most `max` of them from its begin on, with its raw value. */
export async function readRaw(
  database: Database,
  point: number,
  span: Span,
  max: number,
  least: LeastQuality = 'bad',
): Promise<{ at: number; value: number; quality: number; raw: number }[]> {
  const { rows } = await database.raw<{ rows: { at: number; value: number; quality: number; raw: number }[] }>(
    `select round(extract(epoch from at) * 1000)::float8 as at, value, quality, raw from reading
     where point_id = ? and at between ? and ? and quality <= ? order by at limit ?`,
    [point, new Date(span.from), new Date(span.to), WORST[least], max],
  );
  return rows;
}

interface Row {
  at: number;
  value: number;
  quality: number;
}

const rowOf = (row: Row): ReadingRow => [row.at, row.value, row.quality];

export interface DayOfPoint {
  low: number;
  high: number;
  base: { at: number; value: number } | null;
}

/**
 * Lowest, highest over 24 h, and the oldest reading of the last hour, of these points (bad ones left out): by the index of each point,
 * never through the readings of all.
 */
export async function readDay(database: Database, points: readonly number[], now: number): Promise<Map<number, DayOfPoint>> {
  const result = await database.raw<{
    rows: { point_id: number; low: number; high: number; base_at: number | null; base: number | null }[];
  }>(
    `select p.id as point_id, d.low, d.high, b.at as base_at, b.value as base
     from unnest(?::int[]) as p(id)
     left join point q on q.id = p.id left join node n on n.id = q.node_id
     cross join lateral (
       select min(value) as low, max(value) as high from reading r where r.point_id = p.id and r.at > greatest(?::timestamptz, n.live_since) and quality < 2
     ) d
     left join lateral (
       select round(extract(epoch from at) * 1000)::float8 as at, value from reading r
       where r.point_id = p.id and r.at > greatest(?::timestamptz, n.live_since) and quality < 2 order by r.at limit 1
     ) b on true
     where d.low is not null`,
    [[...points], new Date(now - 86_400_000), new Date(now - 3_600_000)],
  );
  return new Map(
    result.rows.map((row) => [
      row.point_id,
      { low: row.low, high: row.high, base: row.base_at === null || row.base === null ? null : { at: row.base_at, value: row.base } },
    ]),
  );
}

/** How long a day's extremes are good enough for a page that opens; its strips take every reading along from there. */
const DAY_KEPT_MS = 30_000;

/** The day of every point, read anew at most every half minute however many pages open at once; newer readings are laid over it. */
export class DayCache {
  private kept: { at: number; day: Promise<Map<number, DayOfPoint>> } | null = null;

  async of(database: Database, points: readonly number[], now: number): Promise<Map<number, DayOfPoint>> {
    if (this.kept && now - this.kept.at < DAY_KEPT_MS) {
      const day = await this.kept.day;
      // A point that is new since then is looked up by itself.
      const missing = points.filter((id) => !day.has(id));
      if (missing.length === 0) return day;
      const { at } = this.kept;
      const whole = readDay(database, missing, now).then((more) => new Map([...day, ...more]));
      const merged = await whole;
      this.kept = { at, day: whole };
      return merged;
    }
    const kept = { at: now, day: readDay(database, points, now) };
    this.kept = kept;
    kept.day.catch(() => {
      if (this.kept === kept) this.kept = null;
    });
    return kept.day;
  }
}
