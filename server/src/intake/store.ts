import type { Transaction } from '../database/connect';
import { QUALITY_CODE, REASON_CODE, type Item, type Verdict } from './batch';

/** What of a batch was new, and lines about duplicates that carry another value. */
export interface Stored {
  items: Item[];
  conflicts: { item: Item; held: number }[];
}

const keyOf = (point: number, at: number): string => `${point} ${at}`;

/**
 * One write for the whole batch. The same point and time counts once, the first of twins within the batch included; what
 * was new comes back in the order it arrived.
 */
export async function store(trx: Transaction, items: readonly Item[], verdicts: readonly Verdict[]): Promise<Stored> {
  if (items.length === 0) return { items: [], conflicts: [] };
  const result = await trx.raw<{ rows: { point_id: number; at: number }[] }>(
    `insert into reading (point_id, at, raw, value, quality, flags, reason)
     select point_id, to_timestamp(at / 1000.0), raw, value, quality, flags, reason
     from unnest(?::int[], ?::float8[], ?::float8[], ?::float8[], ?::smallint[], ?::smallint[], ?::smallint[])
       as t(point_id, at, raw, value, quality, flags, reason)
     on conflict do nothing
     returning point_id, round(extract(epoch from at) * 1000)::float8 as at`,
    [
      items.map((item) => item.point.id),
      items.map((item) => item.at),
      items.map((item) => item.raw),
      items.map((item) => item.value),
      items.map((item) => QUALITY_CODE[item.quality]),
      items.map((item) => item.flags),
      items.map((item) => Math.max(0, REASON_CODE.findIndex((reason) => reason === item.reason))),
    ],
  );
  const fresh = new Set(result.rows.map((row) => keyOf(row.point_id, row.at)));
  const first = new Map<string, Item>();
  const doubles: Item[] = [];
  for (const item of items) {
    const key = keyOf(item.point.id, item.at);
    // What is computed here beside a record is not something the node sent.
    const verdict = item.point.body.kind === 'derived' ? undefined : verdicts[item.message];
    if (fresh.has(key) && !first.has(key)) {
      first.set(key, item);
      if (verdict) verdict.stored++;
    } else {
      doubles.push(item);
      if (verdict) verdict.duplicates++;
    }
  }
  return { items: [...first.values()], conflicts: await conflictsAmong(trx, doubles) };
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
