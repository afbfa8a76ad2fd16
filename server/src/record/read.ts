import { levelFor, LEVELS, MINUTES_BELOW_SECONDS, rebinned, type Bucket, type Level } from '@dewpost/core/series';
import type { Database } from '../database/connect';
import type { Span } from '../model/history';
import { bucketOfRow, COLUMNS, IN_MS, LEVEL_CODE, OF_READINGS, quarterBegin, stretchOf, type RollupRow } from './rows';

interface Wanted extends Span {
  point: number;
  /** The site's zone: whose days they are. */
  zone: string;
  /** What is older were trials, ms; `null`: nothing was. */
  live: number | null;
}

const dateOf = (at: number | null): Date | null => (at === null ? null : new Date(at));

/** So many quarters that are due are read from their readings one by one; where more are (a record just taken in), all of the span is. */
const DUE_BY_ITSELF = 2000;

/**
 * The stretches of one level that a point's record has in a span, the open ones and those that are due among them, made from the readings
 * themselves: what was rolled up and what was not yet tell the same. Stretches are whole: the first may begin before the span.
 */
export async function readLevel(database: Database, level: Level, wanted: Wanted): Promise<Bucket[]> {
  const due = await dueIn(database, level, wanted);
  const kept = await keptOf(database, level, wanted, due);
  if (due.length === 0) return kept;
  const made = level === 'day' ? await daysAnew(database, wanted, due) : await quartersAnew(database, level, wanted, due);
  return [...kept, ...made].sort((a, b) => a.at - b.at);
}

/** Quarters within the span's stretches that are due, oldest first (ms). */
async function dueIn(database: Database, level: Level, { point, from, to, zone }: Wanted): Promise<number[]> {
  const begin = level === 'day' ? stretchOf('day', 'to_timestamp(?::float8 / 1000.0)') : 'to_timestamp(?::float8 / 1000.0)';
  const end = level === 'day' ? `${begin} + interval '25 hours'` : begin;
  const day = level === 'day' ? [zone] : [];
  const { rows } = await database.raw<{ rows: { at: number }[] }>(
    `select round(extract(epoch from at) * 1000)::float8 as at from rollup_due where point_id = ? and at >= ${begin} and at <= ${end} order by at`,
    [point, ...(level === 'day' ? [from, zone] : [quarterBegin(from)]), to, ...day],
  );
  return rows.map(({ at }) => at);
}

async function keptOf(database: Database, level: Level, { point, from, to, zone }: Wanted, due: readonly number[]): Promise<Bucket[]> {
  const [begin, zones] =
    level === 'day' ? [stretchOf('day', 'to_timestamp(?::float8 / 1000.0)'), [zone]] : ['to_timestamp(?::float8 / 1000.0)', []];
  const within = level === 'day' ? stretchOf('day', 'q') : 'q';
  const stale =
    level === 'minute'
      ? `date_bin('15 minutes', at, '2000-01-01T00:00:00Z') <> all (?::timestamptz[])`
      : `not exists (select 1 from unnest(?::timestamptz[]) as d(q) where rollup.at = ${within})`;
  const { rows } = await database.raw<{ rows: RollupRow[] }>(
    `select ${IN_MS} from rollup where point_id = ? and level = ${LEVEL_CODE[level]} and at >= ${begin} and at <= to_timestamp(?::float8 / 1000.0)
     and ${stale} order by at`,
    [
      point,
      level === 'day' ? from : Math.floor(from / LEVELS[level]) * LEVELS[level],
      ...zones,
      to,
      due.map((at) => new Date(at)),
      ...zones,
    ],
  );
  return rows.map(bucketOfRow);
}

async function quartersAnew(database: Database, level: 'minute' | 'quarter', wanted: Wanted, due: readonly number[]): Promise<Bucket[]> {
  const { point, from, to, live } = wanted;
  const dates = due.map((at) => new Date(at));
  const [first = from, last = to] = [due[0], due.at(-1)];
  const stretches =
    due.length <= DUE_BY_ITSELF
      ? database.raw<{ rows: RollupRow[] }>(
          `select ${IN_MS} from unnest(?::timestamptz[]) as q(begins) cross join lateral (
             select ${stretchOf(level, 'r.at')} as at, ${OF_READINGS} from reading r
             where r.point_id = ? and r.at >= greatest(q.begins, ?::timestamptz) and r.at < q.begins + interval '15 minutes' group by 1
           ) s order by at`,
          [dates, point, dateOf(live)],
        )
      : database.raw<{ rows: RollupRow[] }>(
          `select ${IN_MS} from (
             select ${stretchOf(level, 'r.at')} as at, ${OF_READINGS} from reading r
             where r.point_id = ? and r.at >= greatest(?::timestamptz, ?::timestamptz) and r.at < ? and date_bin('15 minutes', r.at, '2000-01-01T00:00:00Z') = any (?::timestamptz[]) group by 1
           ) s order by at`,
          [point, new Date(first), dateOf(live), new Date(last + LEVELS.quarter), dates],
        );
  return (await stretches).rows.map(bucketOfRow).filter(({ at }) => at + LEVELS[level] > from && at <= to);
}

/** Days that have quarters which are due: from the quarters that are not, and the readings of those that are. */
async function daysAnew(database: Database, { point, zone, live, from, to }: Wanted, due: readonly number[]): Promise<Bucket[]> {
  const { rows: days } = await database.raw<{ rows: { at: number; ends: number }[] }>(
    `select distinct round(extract(epoch from d) * 1000)::float8 as at, round(extract(epoch from date_trunc('day', d + interval '36 hours', ?)) * 1000)::float8 as ends
     from (select ${stretchOf('day', 'q')} as d from unnest(?::timestamptz[]) as u(q)) x`,
    [zone, zone, due.map((at) => new Date(at))],
  );
  const wanted = days.filter(({ at, ends }) => at <= to && ends > from).sort((a, b) => a.at - b.at);
  const [first, last] = [wanted[0], wanted.at(-1)];
  if (!first || !last) return [];
  const quarters = await readLevel(database, 'quarter', { point, zone, live, from: first.at, to: last.ends - 1 });
  let next = 0;
  return wanted.flatMap(({ at, ends }) => {
    while ((quarters[next]?.at ?? Infinity) < at) next++;
    const begin = next;
    while ((quarters[next]?.at ?? Infinity) < ends) next++;
    return rebinned(quarters.slice(begin, next), at, ends - at);
  });
}

/** Quarters of an hour of many points at once, by the number of each: as `readLevel` gives them, in one question. */
export async function readLevels(
  database: Database,
  { points, from, to }: { points: readonly number[]; from: number; to: number },
): Promise<Map<number, Bucket[]>> {
  const begin = new Date(quarterBegin(from));
  const { rows } = await database.raw<{ rows: (RollupRow & { point_id: number })[] }>(
    `with due as (
       select point_id, at from rollup_due where point_id = any (?::int[]) and at between ?::timestamptz and ?::timestamptz
     ), kept as (
       select r.* from rollup r where r.point_id = any (?::int[]) and r.level = ${LEVEL_CODE.quarter} and r.at between ?::timestamptz and ?::timestamptz
         and not exists (select 1 from due d where d.point_id = r.point_id and d.at = r.at)
     ), made as (
       select d.point_id, d.at, o.* from due d left join point p on p.id = d.point_id left join node n on n.id = p.node_id cross join lateral (
         select ${OF_READINGS} from reading r where r.point_id = d.point_id and r.at >= greatest(d.at, n.live_since) and r.at < d.at + interval '15 minutes'
       ) o where o.count + o.bad > 0
     )
     select point_id, ${IN_MS} from (select point_id, at, ${COLUMNS} from kept union all select point_id, at, ${COLUMNS} from made) s order by point_id, at`,
    [[...points], begin, new Date(to), [...points], begin, new Date(to)],
  );
  const found = new Map<number, Bucket[]>();
  for (const row of rows) {
    const of = found.get(row.point_id);
    if (of) of.push(bucketOfRow(row));
    else found.set(row.point_id, [bucketOfRow(row)]);
  }
  return found;
}

/**
 * A point's record over a span in about `most` stretches: from the readings where the span is short, else from what was rolled up, as where
 * it reaches back before the raw readings that are kept (`rawFrom`, ms).
 */
export async function readRecord(
  database: Database,
  wanted: Wanted & { most: number; reportSeconds: number; rawFrom: number },
): Promise<{ level: Level | null; width: number; buckets: Bucket[] }> {
  const { from, to, most, reportSeconds, rawFrom } = wanted;
  const span = Math.max(1, to - from);
  const near = reportSeconds < MINUTES_BELOW_SECONDS ? 'minute' : 'quarter';
  const level = levelFor(span, most, reportSeconds) ?? (from < rawFrom ? near : null);
  // Whole seconds, and no shorter than what is kept.
  const even = Math.max(1000, Math.ceil(span / most / 1000) * 1000);
  if (level === null) return { level, width: even, buckets: await binsOfReadings(database, wanted, even) };
  const buckets = await readLevel(database, level, wanted);
  if (level === 'day' || buckets.length <= most) return { level, width: LEVELS[level], buckets };
  const width = Math.ceil(even / LEVELS[level]) * LEVELS[level];
  return { level, width, buckets: rebinned(buckets, Math.floor(from / width) * width, width) };
}

async function binsOfReadings(database: Database, { point, from, to, live }: Wanted, width: number): Promise<Bucket[]> {
  const { rows } = await database.raw<{ rows: RollupRow[] }>(
    `select ${IN_MS} from (
       select to_timestamp(stretch * ?::float8 / 1000.0) as at, ${OF_READINGS} from (
         select r.*, floor(extract(epoch from at) * 1000 / ?::float8) as stretch from reading r where point_id = ? and at between greatest(?::timestamptz, ?::timestamptz) and ?
       ) r group by stretch
     ) s order by at`,
    [width, width, point, new Date(from), dateOf(live), new Date(to)],
  );
  return rows.map(bucketOfRow);
}

/** What a point sent within a span before it went live, in about `most` stretches made of the readings themselves. */
export const readTrials = async (
  database: Database,
  { point, from, to, most }: Span & { point: number; most: number },
): Promise<Bucket[]> =>
  binsOfReadings(database, { point, from, to, zone: 'UTC', live: null }, Math.max(1000, Math.ceil((to - from) / most / 1000) * 1000));
