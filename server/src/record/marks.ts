import { LEVELS } from '@dewpost/core/series';
import type { Database, Transaction } from '../database/connect';
import type { Statement } from '../database/prepared';

const QUARTER_MS = LEVELS.quarter;
/** So long after its end a quarter is rolled up at the earliest: what was decided within it is committed by then. */
export const SETTLES_MS = 60_000;

/** Quarters of an hour of points whose roll-up is due. */
export interface Due {
  readonly point: number;
  readonly at: number;
}

const quarterOf = (at: number): number => Math.floor(at / QUARTER_MS) * QUARTER_MS;

/**
 * Which quarters readings make due. One mark is enough while a quarter runs: it is not taken before it has ended, so that the newest marked
 * one of each point is remembered, and intake pays for one row a point and quarter.
 */
export class Marks {
  private readonly newest = new Map<number, number>();

  due(readings: readonly { point: { id: number }; at: number }[], now: number): Due[] {
    const found = new Map<string, Due>();
    let [lastPoint, lastQuarter] = [NaN, NaN];
    for (const { point, at } of readings) {
      const quarter = quarterOf(at);
      // Readings mostly come in order: the same quarter again is nothing new.
      if (point.id === lastPoint && quarter === lastQuarter) continue;
      [lastPoint, lastQuarter] = [point.id, quarter];
      if (this.newest.get(point.id) === quarter && quarter + QUARTER_MS > now) continue;
      found.set(`${point.id} ${quarter}`, { point: point.id, at: quarter });
    }
    // In one order for everybody who locks them.
    return [...found.values()].sort((a, b) => a.point - b.point || a.at - b.at);
  }

  /** These are committed. */
  marked(due: readonly Due[]): void {
    for (const { point, at } of due) if (at > (this.newest.get(point) ?? -Infinity)) this.newest.set(point, at);
  }
}

/** Marks quarters as due, as a statement; counting up locks a mark that is there already (see the migration). */
export const markStatement = (due: readonly Due[]): Statement => ({
  sql: `insert into rollup_due (point_id, at)
    select point_id, to_timestamp(at / 1000.0) from unnest(cast(? as int[]), cast(? as float8[])) as t(point_id, at)
    on conflict (point_id, at) do update set marks = rollup_due.marks + 1`,
  bindings: [`{${due.map(({ point }) => point).join(',')}}`, `{${due.map(({ at }) => at).join(',')}}`],
});

/** Marks every quarter of these points that has readings in a span of time (ms, its end left out): their values have changed. */
export async function markSpan(database: Database | Transaction, points: readonly number[], from: number, to: number): Promise<void> {
  await database.raw(
    `insert into rollup_due (point_id, at)
     select point_id, date_bin('15 minutes', at, '2000-01-01T00:00:00Z') as quarter from reading
     where point_id = any (?::int[]) and at >= to_timestamp(?::float8 / 1000.0) and at < to_timestamp(?::float8 / 1000.0)
     group by 1, 2 order by 1, 2
     on conflict (point_id, at) do update set marks = rollup_due.marks + 1`,
    [[...points], from, to],
  );
}
