import { scaleOf } from '@dewpost/core/calibration';
import { computeAt, windowBegin, type Formula, type Moment, type Sample } from '@dewpost/core/derive';
import type { Database } from '../database/connect';
import { ensureMonths } from '../database/partitions';
import { markSpan } from '../record/marks';
import type { ComputedEntry } from './entries';

/** So many moments are computed at once. */
export const PAGE = 2000;

/** A computed value, with the worst quality of what it came from. */
export interface Made extends Sample {
  readonly quality: number;
}

interface MomentRow {
  at: number;
  value: number;
  quality: number;
  others: (number | null)[];
  qualities: (number | null)[];
}

/** One page of what a point comes to between two times (ms), and up to where it was computed; `done`: there is nothing after it. */
export async function computePage(
  database: Database,
  entry: ComputedEntry & { formula: Formula },
  from: number,
  to: number,
  midnight: (at: number) => number,
): Promise<{ made: Made[]; upTo: number; done: boolean }> {
  const { formula, parameters, pairs, inputs } = entry;
  const rows = await momentsOf(database, entry, from, to);
  const [first, last] = [rows[0], rows.at(-1)];
  if (!first || !last) return { made: [], upTo: to, done: true };
  const [lead] = inputs;
  const samples =
    formula.window.kind === 'none' || !lead
      ? []
      : await samplesOf(database, lead.id, windowBegin(formula, parameters, first.at, midnight), last.at);
  const units = inputs.map((input) => scaleOf(input.body, input.calibrations).unit);
  const moments = rows.map(({ at, value, others }): Moment => ({ at, value, others }));
  const qualities = new Map(rows.map((row) => [row.at, Math.max(row.quality, ...row.qualities.map((quality) => quality ?? 0))]));
  const made = computeAt(formula, { moments, samples, units, parameters, pairs, midnight }).map(({ at, value }) => ({
    ...{ at, value },
    quality: qualities.get(at) ?? 0,
  }));
  const done = rows.length < PAGE;
  return { made, upTo: done ? to : last.at, done };
}

/** Readings of the first input, each with what the others showed then: their last reading up to that time, unless it is too old. */
async function momentsOf(database: Database, { inputs, toleranceMs }: ComputedEntry, from: number, to: number): Promise<MomentRow[]> {
  const [lead, ...others] = inputs;
  if (!lead) return [];
  const joins = others.map(
    ({ body }, i) => `left join lateral (
      select value, quality from reading r where r.point_id = ? and r.at <= l.at and quality < 2
      ${body.confirm === 'hold' ? '' : `and r.at >= l.at - ? * interval '1 millisecond'`} order by r.at desc limit 1
    ) o${i} on true`,
  );
  const bindings = others.flatMap(({ id, body }) => (body.confirm === 'hold' ? [id] : [id, toleranceMs]));
  const list = (column: string, cast: string): string => `array[${others.map((_, i) => `o${i}.${column}`).join(', ')}]::${cast}[]`;
  const { rows } = await database.raw<{ rows: MomentRow[] }>(
    `select round(extract(epoch from l.at) * 1000)::float8 as at, l.value, l.quality, ${list('value', 'float8')} as others, ${list('quality', 'int')} as qualities
     from reading l ${joins.join(' ')}
     where l.point_id = ? and l.at >= to_timestamp(?::float8 / 1000.0) and l.at <= to_timestamp(?::float8 / 1000.0) and l.quality < 2
     order by l.at limit ${PAGE}`,
    [...bindings, lead.id, from, to],
  );
  return rows;
}

/** Readings from a time on and the one before it, in order. */
async function samplesOf(database: Database, point: number, begins: number, to: number): Promise<Sample[]> {
  const { rows } = await database.raw<{ rows: Sample[] }>(
    `(select round(extract(epoch from at) * 1000)::float8 as at, value from reading
      where point_id = ? and at < to_timestamp(?::float8 / 1000.0) and quality < 2 order by at desc limit 1)
     union all
     (select round(extract(epoch from at) * 1000)::float8 as at, value from reading
      where point_id = ? and at >= to_timestamp(?::float8 / 1000.0) and at <= to_timestamp(?::float8 / 1000.0) and quality < 2 order by at)
     order by at`,
    [point, begins, point, begins, to],
  );
  return rows;
}

/**
 * Brings what is stored of a computed point between two times to what was computed: other values are changed, what is computed no more goes,
 * what is new is put there. What is to arrive like any reading is not among it, and not there yet. All of it is due to be rolled up. Done twice
 * it changes nothing.
 */
export async function storeComputed(
  database: Database,
  point: number,
  { made, from, to }: { made: readonly Made[]; from: number; to: number },
): Promise<number> {
  await ensureMonths(database, made);
  const column = (of: (one: Made) => number): string => `{${made.map(of).join(',')}}`;
  return database.transaction(async (trx) => {
    const span = [point, from, to] as const;
    const { rows } = await trx.raw<{ rows: { changed: number }[] }>(
      `with made as (
         select to_timestamp(at / 1000.0) as at, value, quality from unnest(?::float8[], ?::float8[], ?::int[]) as t(at, value, quality)
       ), gone as (
         delete from reading r where r.point_id = ? and r.at >= to_timestamp(?::float8 / 1000.0) and r.at <= to_timestamp(?::float8 / 1000.0)
           and not exists (select 1 from made m where m.at = r.at) returning 1
       ), put as (
         insert into reading (point_id, at, raw, value, quality, flags, reason)
         select ?, at, value, value, quality, 0, 0 from made
         on conflict (point_id, at) do update set raw = excluded.raw, value = excluded.value, quality = excluded.quality
         where (reading.value, reading.quality) is distinct from (excluded.value, excluded.quality) returning 1
       )
       select ((select count(*) from gone) + (select count(*) from put))::int as changed`,
      [column(({ at }) => at), column(({ value }) => value), column(({ quality }) => quality), ...span, point],
    );
    const changed = rows[0]?.changed ?? 0;
    if (changed > 0) {
      await markSpan(trx, [point], from, to + 1);
      // Quarters that lost everything have no reading that would mark them.
      await trx.raw(
        `insert into rollup_due (point_id, at)
         select point_id, at from rollup where point_id = ? and level = 1 and at > to_timestamp(?::float8 / 1000.0) - interval '15 minutes' and at <= to_timestamp(?::float8 / 1000.0)
         on conflict (point_id, at) do update set marks = rollup_due.marks + 1`,
        [...span],
      );
      await trx.raw(
        `delete from rollup where point_id = ? and level < 2 and at > to_timestamp(?::float8 / 1000.0) - interval '15 minutes' and at <= to_timestamp(?::float8 / 1000.0)`,
        [...span],
      );
    }
    return changed;
  });
}
