import type { Database } from '../../database/connect';
import { ensureMonths } from '../../database/partitions';
import { FLAG } from '../../intake/batch';
import { LEVELS } from '@dewpost/core/series';
import { markSpan, markStatement, Marks } from '../../record/marks';
import { LEVEL_CODE, quarterBegin } from '../../record/rows';
import type { FileReading } from './pass';

const MONTH_MS = 31 * 86_400_000;

/** Stores a batch of an import in one transaction and marks what is due to be rolled up; gives how many were there already. */
export async function storeReadings(database: Database, importId: number, batch: readonly FileReading[]): Promise<number> {
  await ensureMonths(database, batch);
  const due = new Marks().due(batch, Infinity);
  return database.transaction(async (trx) => {
    // A crash goes through the file again: that it is kept is said by a commit that waits for all of these.
    await trx.raw('set local synchronous_commit = off');
    const { rowCount } = await trx.raw<{ rowCount: number }>(
      `insert into reading (point_id, at, raw, value, quality, flags, reason, import_id)
       select point_id, to_timestamp(at / 1000.0), raw, value, bad * 2, ${FLAG.imported}, bad, ?
       from unnest(?::int[], ?::float8[], ?::float8[], ?::float8[], ?::int[]) as t(point_id, at, raw, value, bad)
       on conflict do nothing`,
      [importId, ...columnsOf(batch)],
    );
    const { sql, bindings } = markStatement(due);
    await trx.raw(sql, bindings);
    return batch.length - rowCount;
  });
}

/** The batch as array parameters, as PostgreSQL writes them. */
function columnsOf(batch: readonly FileReading[]): [string, string, string, string, string] {
  let [points, times, raws, values, bads] = ['', '', '', '', ''];
  for (const { point, at, raw, value, bad } of batch) {
    const comma = points === '' ? '{' : ',';
    points += comma + point.id;
    times += comma + at;
    raws += comma + raw;
    values += comma + value;
    bads += comma + (bad ? 1 : 0);
  }
  return [`${points}}`, `${times}}`, `${raws}}`, `${values}}`, `${bads}}`];
}

/** Takes every reading of an import away, a month at a time, and marks what they were part of. Done twice it changes nothing more. */
export async function removeReadings(
  database: Database,
  importId: number,
  points: readonly number[],
  from: number,
  to: number,
): Promise<void> {
  const last = quarterBegin(to) + LEVELS.quarter;
  for (let begin = quarterBegin(from); begin < last; begin += MONTH_MS) {
    const span = [begin, Math.min(last, begin + MONTH_MS)] as const;
    const within = `point_id = any (?::int[]) and at >= to_timestamp(?::float8 / 1000.0) and at < to_timestamp(?::float8 / 1000.0)`;
    await database.transaction(async (trx) => {
      await markSpan(trx, points, ...span);
      await trx.raw(`delete from reading where ${within} and import_id = ?`, [[...points], ...span, importId]);
      // What is left of them is marked, and made anew; days that lose everything go then.
      await trx.raw(`delete from rollup where ${within} and level < ${LEVEL_CODE.day}`, [[...points], ...span]);
    });
  }
}
