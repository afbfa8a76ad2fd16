import type { Database } from './connect';

const made = new WeakMap<Database, Set<string>>();

/**
 * Makes the monthly partitions of `reading` that the times (ms) of these readings need, in a short transaction of its own, before
 * the batch is stored. Safe to call from several processes at once.
 */
export async function ensureMonths(database: Database, readings: readonly { at: number }[]): Promise<void> {
  const known = made.get(database) ?? new Set<string>();
  made.set(database, known);
  const wanted = new Set<string>();
  let [from, to] = [0, 0];
  for (const { at } of readings) {
    if (at >= from && at < to) continue;
    const day = new Date(at);
    wanted.add(day.toISOString().slice(0, 7));
    from = Date.UTC(day.getUTCFullYear(), day.getUTCMonth());
    to = Date.UTC(day.getUTCFullYear(), day.getUTCMonth() + 1);
  }
  for (const month of wanted) {
    if (known.has(month)) continue;
    const start = new Date(`${month}-01T00:00:00Z`);
    const end = new Date(start);
    end.setUTCMonth(end.getUTCMonth() + 1);
    const table = `reading_${month.replace('-', '_')}`;
    await database.transaction(async (trx) => {
      await trx.raw('select pg_advisory_xact_lock(hashtext(?))', [table]);
      await trx.raw(
        `create table if not exists ${table} partition of reading for values from ('${start.toISOString()}') to ('${end.toISOString()}')`,
      );
    });
    known.add(month);
  }
}
