import type { Database } from '../database/connect';
import { derivedValue } from '../intake/convert';
import type { PointEntry } from '../model/entries';
import { markSpan } from '../record/marks';

const AT_ONCE = 5000;

/** The points of a node that are computed from this one, each with its inputs in order. */
const computedFrom = (point: PointEntry): { derived: PointEntry; inputs: PointEntry[] }[] =>
  [...point.node.points.values()].flatMap((derived) => {
    const from = derived.body.derived?.from ?? [];
    const inputs = from.flatMap((name) => point.node.points.get(name) ?? []);
    return from.includes(point.name) && inputs.length === from.length ? [{ derived, inputs }] : [];
  });

/** Computes anew what is stored of the points that are computed from this one, from a time on (ms), a page at a time. Done twice it changes nothing more. */
export async function deriveAnew(database: Database, point: PointEntry, from: number, signal?: AbortSignal): Promise<void> {
  for (const { derived, inputs } of computedFrom(point)) {
    let after = from - 1;
    while (!signal?.aborted) {
      const next = await derivePage(database, derived, inputs, after);
      if (next === null) break;
      after = next;
    }
  }
}

/** One page of a derived point after a time; gives the time of its last, `null` where there is none. */
async function derivePage(database: Database, derived: PointEntry, inputs: readonly PointEntry[], after: number): Promise<number | null> {
  const joins = inputs.map((_, i) => `join reading i${i} on i${i}.point_id = ? and i${i}.at = d.at`).join(' ');
  const { rows } = await database.raw<{ rows: { at: number; values: number[]; quality: number }[] }>(
    `select round(extract(epoch from d.at) * 1000)::float8 as at, array[${inputs.map((_, i) => `i${i}.value`).join(', ')}] as values,
       greatest(${inputs.map((_, i) => `i${i}.quality`).join(', ')})::int as quality
     from reading d ${joins} where d.point_id = ? and d.at > to_timestamp(?::float8 / 1000.0) order by d.at limit ${AT_ONCE}`,
    [...inputs.map(({ id }) => id), derived.id, after],
  );
  const [first, last] = [rows[0], rows.at(-1)];
  if (!first || !last) return null;
  const { physicalMin, physicalMax } = derived.body;
  const made = rows.flatMap(({ at, values, quality }) => {
    const value = derivedValue(
      derived,
      inputs.map((input, i) => ({ point: input, value: values[i] ?? NaN })),
    );
    if (value === null) return [];
    return [{ at, value, quality: value < physicalMin || value > physicalMax ? 2 : quality }];
  });
  const list = (of: (row: (typeof made)[number]) => number): string => `{${made.map(of).join(',')}}`;
  await database.transaction(async (trx) => {
    const { rowCount } = await trx.raw<{ rowCount: number }>(
      `update reading r set raw = t.value, value = t.value, quality = t.quality
       from unnest(?::float8[], ?::float8[], ?::int[]) as t(at, value, quality)
       where r.point_id = ? and r.at = to_timestamp(t.at / 1000.0) and (r.value is distinct from t.value or r.quality <> t.quality)`,
      [list(({ at }) => at), list(({ value }) => value), list(({ quality }) => quality), derived.id],
    );
    if (rowCount > 0) await markSpan(trx, [derived.id], first.at, last.at + 1);
  });
  return last.at;
}
