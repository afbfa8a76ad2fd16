import type { Transaction } from '../database/connect';
import type { Part } from '../engine/parts';
import { sqlState } from '../store/sql-state';
import { PoisonError } from './poison';
import { QUALITY_CODE, REASON_CODE, type Item, type Verdict } from './batch';

/** What of a batch was new, and lines about duplicates that carry another value. */
export interface Stored {
  items: Item[];
  conflicts: { item: Item; held: number }[];
}

const keyOf = (point: number, at: number): string => `${point} ${at}`;

/** Were these readings all taken after everything that is known of their points? Then none of them can be there already. */
export function allNew(items: readonly Item[], newest: { get(point: number): { at: number } | undefined }): boolean {
  const last = new Map<number, number>();
  return items.every(({ point: { id }, at }) => {
    const before = last.get(id) ?? newest.get(id)?.at ?? -Infinity;
    last.set(id, at);
    return at > before;
  });
}

/** Counts readings as stored with the messages they came by. */
export function countStored(items: readonly Item[], verdicts: readonly Verdict[]): void {
  for (const item of items) countIn(verdicts, item, 'stored');
}

/** Readings that cannot be there already, as a part of a larger statement: one that is there all the same fails the whole. */
export const readingPart = (items: readonly Item[]): Part => ({ name: 'reading_stored', sql: INSERT, bindings: columnsOf(items) });

const INSERT = `insert into reading (point_id, at, raw, value, quality, flags, reason)
     select point_id, to_timestamp((?::float8 + after) / 1000.0), raw, value, marks & 3, (marks >> 2) & 15, marks >> 6
     from unnest(?::int[], ?::float8[], ?::float8[], ?::float8[], ?::int[]) as t(point_id, after, raw, value, marks)`;

/**
 * One write for the whole batch. The same point and time counts once, the first of twins within the batch included; what
 * was new comes back in the order it arrived.
 */
export async function store(trx: Transaction, items: readonly Item[], verdicts: readonly Verdict[]): Promise<Stored> {
  if (items.length === 0) return { items: [], conflicts: [] };
  const result = await trx.raw<{ rowCount: number }>(`${INSERT} on conflict do nothing`, columnsOf(items)).catch((error: unknown) => {
    // Only what the rows themselves violate is the sender's fault.
    throw /^2[23]/.test(sqlState(error)) ? new PoisonError(String(error), { cause: error }) : error;
  });
  // Nearly always everything is new, and then the rows need not come back to say so.
  if (result.rowCount === items.length) {
    countStored(items, verdicts);
    return { items: [...items], conflicts: [] };
  }
  const fresh = await freshOf(trx, items);
  const first = new Map<string, Item>();
  const doubles: Item[] = [];
  for (const item of items) {
    const key = keyOf(item.point.id, item.at);
    if (fresh.has(key) && !first.has(key)) {
      first.set(key, item);
      countIn(verdicts, item, 'stored');
    } else {
      doubles.push(item);
      countIn(verdicts, item, 'duplicates');
    }
  }
  return { items: [...first.values()], conflicts: await conflictsAmong(trx, doubles) };
}

/**
 * The batch as array parameters, as PostgreSQL writes them: numbers need none of the driver's quoting, which would be half the
 * cost of intake. Times count from the first (ms), and quality, flags and reason travel in one number: less text to write and read.
 */
function columnsOf(items: readonly Item[]): [number, string, string, string, string, string] {
  const base = items[0]?.at ?? 0;
  let [points, times, raws, values, marks] = ['', '', '', '', ''];
  for (const item of items) {
    const comma = points === '' ? '' : ',';
    points += comma + item.point.id;
    times += comma + (item.at - base);
    raws += comma + item.raw;
    values += comma + item.value;
    marks += comma + (QUALITY_CODE[item.quality] | (item.flags << 2) | (reasonCode(item.reason) << 6));
  }
  return [base, `{${points}}`, `{${times}}`, `{${raws}}`, `{${values}}`, `{${marks}}`];
}

const reasonCode = (reason: Item['reason']): number =>
  reason === null
    ? 0
    : Math.max(
        0,
        REASON_CODE.findIndex((name) => name === reason),
      );

/** What is computed here beside a record is not something the node sent: it is not counted. */
function countIn(verdicts: readonly Verdict[], item: Item, what: 'stored' | 'duplicates'): void {
  const verdict = item.point.body.kind === 'derived' ? undefined : verdicts[item.message];
  if (verdict) verdict[what]++;
}

/** Which of these were inserted by this very transaction. */
async function freshOf(trx: Transaction, items: readonly Item[]): Promise<Set<string>> {
  const rows = await trx.raw<{ rows: { point_id: number; at: number }[] }>(
    `select r.point_id, t.at from unnest(?::int[], ?::float8[]) as t(point_id, at)
     join reading r on r.point_id = t.point_id and r.at = to_timestamp(t.at / 1000.0)
     where r.xmin = pg_current_xact_id()::xid`,
    [items.map((item) => item.point.id), items.map((item) => item.at)],
  );
  return new Set(rows.rows.map((row) => keyOf(row.point_id, row.at)));
}

async function conflictsAmong(trx: Transaction, doubles: readonly Item[]): Promise<Stored['conflicts']> {
  if (doubles.length === 0) return [];
  const held = await trx.raw<{ rows: { point_id: number; at: number; raw: number }[] }>(
    `select r.point_id, t.at, r.raw from unnest(?::int[], ?::float8[]) as t(point_id, at)
     join reading r on r.point_id = t.point_id and r.at = to_timestamp(t.at / 1000.0)`,
    [doubles.map((item) => item.point.id), doubles.map((item) => item.at)],
  );
  const rawByKey = new Map(held.rows.map((row) => [keyOf(row.point_id, row.at), row.raw]));
  return doubles.flatMap((item) => {
    const raw = rawByKey.get(keyOf(item.point.id, item.at));
    return raw !== undefined && raw !== item.raw ? [{ item, held: raw }] : [];
  });
}
