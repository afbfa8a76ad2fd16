import type { Database } from '../../database/connect';
import { ensureMonths } from '../../database/partitions';
import { FLAG } from '../../intake/batch';
import { markSpan, markStatement, Marks } from '../../record/marks';
import type { FileReading } from './pass';

const MONTH_MS = 31 * 86_400_000;

/** Stores a batch of an import in one transaction and marks what is due to be rolled up; gives how many were there already. */
export async function storeReadings(database: Database, importId: number, batch: readonly FileReading[]): Promise<number> {
  await ensureMonths(database, batch);
  const due = new Marks().due(batch, Infinity);
  return database.transaction(async (trx) => {
    const list = (of: (reading: FileReading) => number): string => `{${batch.map(of).join(',')}}`;
    const { rowCount } = await trx.raw<{ rowCount: number }>(
      `insert into reading (point_id, at, raw, value, quality, flags, reason, import_id)
       select point_id, to_timestamp(at / 1000.0), raw, value, bad * 2, ${FLAG.imported}, bad, ?
       from unnest(?::int[], ?::float8[], ?::float8[], ?::float8[], ?::int[]) as t(point_id, at, raw, value, bad)
       on conflict do nothing`,
      [
        importId,
        list(({ point }) => point.id),
        list(({ at }) => at),
        list(({ raw }) => raw),
        list(({ value }) => value),
        list(({ bad }) => Number(bad)),
      ],
    );
    const { sql, bindings } = markStatement(due);
    await trx.raw(sql, bindings);
    return batch.length - rowCount;
  });
}

/** Takes every reading of an import away, a month at a time, and marks what they were part of. Done twice it changes nothing more. */
export async function removeReadings(
  database: Database,
  importId: number,
  points: readonly number[],
  from: number,
  to: number,
): Promise<void> {
  for (let begin = from; begin <= to; begin += MONTH_MS) {
    const end = Math.min(to + 1, begin + MONTH_MS);
    await database.transaction(async (trx) => {
      await markSpan(trx, points, begin, end);
      await trx.raw(
        `delete from reading where point_id = any (?::int[]) and at >= to_timestamp(?::float8 / 1000.0) and at < to_timestamp(?::float8 / 1000.0) and import_id = ?`,
        [[...points], begin, end, importId],
      );
    });
  }
}
