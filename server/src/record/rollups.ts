import { LEVELS, MINUTES_BELOW_SECONDS } from '@dewpost/core/series';
import type { Logger } from 'pino';
import type { Database, Transaction } from '../database/connect';
import { SETTLES_MS } from './marks';
import { COLUMNS, LEVEL_CODE, OF_READINGS, OF_STRETCHES, stretchOf } from './rows';

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
    await forget(trx, rows, zone);
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

/** What was kept of these quarters, their minutes and their days goes first: readings may have been taken away. */
async function forget(trx: Transaction, quarters: readonly Stretch[], zone: string): Promise<void> {
  const gone = (level: number, when: string): string =>
    `delete from rollup r using (select distinct * from unnest(?::int[], ?::timestamptz[]) as u(point_id, begins)) q
     where r.point_id = q.point_id and r.level = ${level} and ${when}`;
  await trx.raw(gone(LEVEL_CODE.quarter, 'r.at = q.begins'), arrays(quarters));
  await trx.raw(gone(LEVEL_CODE.minute, `r.at >= q.begins and r.at < q.begins + interval '15 minutes'`), arrays(quarters));
  await trx.raw(gone(LEVEL_CODE.day, `r.at = ${stretchOf('day', 'q.begins')}`), [...arrays(quarters), zone]);
}

async function fromReadings(trx: Transaction, level: 'minute' | 'quarter', quarters: readonly Stretch[]): Promise<void> {
  const code = LEVEL_CODE[level];
  await trx.raw(
    `insert into rollup (point_id, level, at, ${COLUMNS})
     select r.point_id, ${code}, r.stretch, ${OF_READINGS}
     from (
       select r.*, ${stretchOf(level, 'r.at')} as stretch from unnest(?::int[], ?::timestamptz[]) as q(point_id, begins)
       join reading r on r.point_id = q.point_id and r.at >= q.begins and r.at < q.begins + interval '15 minutes'
     ) r
     group by r.point_id, r.stretch ${KEEP}`,
    arrays(quarters),
  );
}

async function daysOf(trx: Transaction, quarters: readonly Stretch[], zone: string): Promise<void> {
  await trx.raw(
    `insert into rollup (point_id, level, at, ${COLUMNS})
     select d.point_id, ${LEVEL_CODE.day}, d.at, o.* from (
       select distinct point_id, ${stretchOf('day', 'begins')} as at from unnest(?::int[], ?::timestamptz[]) as q(point_id, begins)
     ) d
     cross join lateral (
       select ${OF_STRETCHES} from rollup r
       where r.point_id = d.point_id and r.level = ${LEVEL_CODE.quarter} and r.at >= d.at and r.at < date_trunc('day', d.at + interval '36 hours', ?)
     ) o
     where o.count is not null ${KEEP}`,
    [zone, ...arrays(quarters), zone],
  );
}

/** Rolls up behind intake, again and again; what was cut off goes on at the next start, because its marks are there still. */
export class Rollups {
  private timer: NodeJS.Timeout | null = null;
  private running: Promise<void> = Promise.resolve();
  private stopping = false;

  constructor(private readonly parts: { database: Database; zone: () => string; log: Logger; everyMs: number }) {}

  start(): void {
    this.timer = setInterval(() => this.soon(), this.parts.everyMs);
    this.timer.unref();
  }

  /** As soon as what is under way is done. */
  soon(): void {
    this.running = this.running.then(() => this.run());
  }

  /** Everything that is due by now. */
  async run(): Promise<void> {
    try {
      while (!this.stopping && (await rollUp(this.parts.database, this.parts.zone(), Date.now())) === AT_ONCE);
    } catch (error) {
      if (!this.stopping) this.parts.log.error({ err: error }, 'the record could not be rolled up; it is tried again');
    }
  }

  async stop(): Promise<void> {
    this.stopping = true;
    if (this.timer) clearInterval(this.timer);
    await this.running;
  }
}
