import { LEVELS, MINUTES_BELOW_SECONDS } from '@dewpost/core/series';
import type { Database, Transaction } from '../database/connect';
import type { Job } from '../jobs/jobs';
import { SETTLES_MS } from './marks';
import { COLUMNS, LEVEL_CODE, OF_READINGS, OF_STRETCHES, quarterBegin, stretchOf } from './rows';

/** So many quarters are rolled up in one transaction. */
const AT_ONCE = 500;

const KEEP = `on conflict (point_id, level, at) do update set (${COLUMNS}) = (${COLUMNS.split(', ')
  .map((column) => `excluded.${column}`)
  .join(', ')})`;

/**
 * Rolls up at most 500 quarters that have ended and are due: from their readings, minutes of points that report fast as well, days from
 * quarters. `now` in ms. Gives how many were due. Marks are taken first: whatever is marked meanwhile is due again.
 */
export async function rollUp(database: Database, zone: string, now: number): Promise<number> {
  return database.transaction(async (trx) => {
    const { rows } = await trx.raw<{ rows: { point_id: number; at: Date; fast: boolean }[] }>(
      `with taken as (
         delete from rollup_due d using (
           select point_id, at from rollup_due where at <= to_timestamp(? / 1000.0) order by at, point_id limit ${AT_ONCE} for update skip locked
         ) t where d.point_id = t.point_id and d.at = t.at returning d.point_id, d.at
       )
       select t.point_id, t.at, coalesce(n.report_seconds < ?, false) as fast
       from taken t left join point p on p.id = t.point_id left join node n on n.id = p.node_id`,
      [now - LEVELS.quarter - SETTLES_MS, MINUTES_BELOW_SECONDS],
    );
    if (rows.length === 0) return 0;
    await fromReadings(trx, 'quarter', rows);
    const fast = rows.filter((row) => row.fast);
    if (fast.length > 0) await fromReadings(trx, 'minute', fast);
    await daysOf(trx, rows, zone);
    return rows.length;
  });
}

interface Stretch {
  point_id: number;
  at: Date;
}

const arrays = (stretches: readonly Stretch[]): [number[], Date[]] => [
  stretches.map((one) => one.point_id),
  stretches.map((one) => one.at),
];

/** Trials are left out. Each quarter is looked up by itself, along the key: joined as a whole, a year of readings would be gone through for a few quarters. */
async function fromReadings(trx: Transaction, level: 'minute' | 'quarter', quarters: readonly Stretch[]): Promise<void> {
  await trx.raw(
    `insert into rollup (point_id, level, at, ${COLUMNS})
     select q.point_id, ${LEVEL_CODE[level]}, o.* from unnest(?::int[], ?::timestamptz[]) as q(point_id, begins)
     left join point p on p.id = q.point_id left join node n on n.id = p.node_id
     cross join lateral (
       select ${stretchOf(level, 'r.at')} as stretch, ${OF_READINGS} from reading r
       where r.point_id = q.point_id and r.at >= greatest(q.begins, n.live_since) and r.at < q.begins + interval '15 minutes'
       group by 1
     ) o ${KEEP}`,
    arrays(quarters),
  );
}

async function daysOf(trx: Transaction, quarters: readonly Stretch[], zone: string): Promise<void> {
  const { rows } = await trx.raw<{ rows: Stretch[] }>(
    `select distinct point_id, ${stretchOf('day', 'begins')} as at from unnest(?::int[], ?::timestamptz[]) as q(point_id, begins)`,
    [zone, ...arrays(quarters)],
  );
  const { rows: made } = await trx.raw<{ rows: Stretch[] }>(
    `insert into rollup (point_id, level, at, ${COLUMNS})
     select d.point_id, ${LEVEL_CODE.day}, d.at, o.* from unnest(?::int[], ?::timestamptz[]) as d(point_id, at)
     cross join lateral (
       select ${OF_STRETCHES} from rollup r
       where r.point_id = d.point_id and r.level = ${LEVEL_CODE.quarter} and r.at >= d.at and r.at < date_trunc('day', d.at + interval '36 hours', ?)
     ) o
     where o.count is not null ${KEEP} returning point_id, at`,
    [...arrays(rows), zone],
  );
  // Days of which everything was taken away.
  const there = new Set(made.map(({ point_id, at }) => `${point_id} ${at.getTime()}`));
  for (const { point_id, at } of rows)
    if (!there.has(`${point_id} ${at.getTime()}`)) await trx('rollup').where({ point_id, level: LEVEL_CODE.day, at }).delete();
}

/**
 * Rolls up everything from a time on (ms) at once: minutes of points that report fast, quarters and days. For a record that was written whole,
 * where quarter by quarter would take minutes. Marks of what it covers go.
 */
export async function rollUpWhole(trx: Transaction, zone: string, from: number): Promise<void> {
  const span = new Date(quarterBegin(from));
  for (const level of ['minute', 'quarter'] as const)
    await trx.raw(
      `insert into rollup (point_id, level, at, ${COLUMNS})
       select point_id, ${LEVEL_CODE[level]}, ${stretchOf(level, 'at')} as stretch, ${OF_READINGS} from reading
       where at >= ? and at < date_bin('15 minutes', now(), '2000-01-01T00:00:00Z')
         and point_id in (select p.id from point p join node n on n.id = p.node_id where n.report_seconds < ?) group by point_id, stretch ${KEEP}`,
      [span, level === 'minute' ? MINUTES_BELOW_SECONDS : Infinity],
    );
  await trx.raw(
    `insert into rollup (point_id, level, at, ${COLUMNS})
     select point_id, ${LEVEL_CODE.day}, stretch, low, high, total, count, suspect, bad, late, first, first_at, last, last_at from (
       select point_id, ${stretchOf('day', 'at')} as stretch, ${OF_STRETCHES} from rollup r where level = ${LEVEL_CODE.quarter} and at >= ? group by 1, 2
     ) d ${KEEP}`,
    [zone, span],
  );
  await trx.raw(`delete from rollup_due where at >= ? and at < date_bin('15 minutes', now(), '2000-01-01T00:00:00Z')`, [span]);
}

/** Rolls up behind intake all that is due by now; what was cut off goes on, because its marks are there still. */
export const rollingUp = ({ database, zone }: { database: Database; zone: () => string }): Job => ({
  name: 'roll_up',
  failed: 'the record could not be rolled up',
  everyMinutes: 1,
  async run(ends) {
    while (!ends.aborted && (await rollUp(database, zone(), Date.now())) === AT_ONCE);
  },
});
