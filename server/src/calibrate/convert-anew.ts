import { conversionAt, isUncalibrated, piecesOf } from '@dewpost/core/calibration';
import type { Database } from '../database/connect';
import type { CalibrationInForce, PointEntry } from '../model/entries';
import { markSpan } from '../record/marks';

/**
 * Raw to value, and judged by the range again: what cannot be is bad (2, reason 1), and what was bad for its converted value alone is good
 * where that is right now.
 */
const CONVERT = `
  with piece as (
    select * from json_to_recordset(?::json) as t(first float8, last float8, square float8, gain float8, shift float8, turn float8)
  ), fresh as (
    select r.at, case when p.turn is null then v.value else v.value - p.turn * floor(v.value / p.turn) end as value
    from reading r join piece p on (p.first is null or r.raw >= p.first) and (p.last is null or r.raw < p.last)
      cross join lateral (select (p.square * r.raw + p.gain) * r.raw + p.shift as value) v
    where r.point_id = ? and r.at >= to_timestamp(?::float8 / 1000.0) and r.at < to_timestamp(?::float8 / 1000.0)
  )
  update reading r set value = f.value,
    quality = case when f.value not between c.low and c.high then 2 else case when r.quality = 2 and r.reason = 1 and r.raw between c.least and c.most then 0 else r.quality end end,
    reason = case when f.value not between c.low and c.high then 1 else case when r.quality = 2 and r.reason = 1 and r.raw between c.least and c.most then 0 else r.reason end end
  from fresh f, (values (?::float8, ?::float8, ?::float8, ?::float8)) as c(low, high, least, most)
  where r.point_id = ? and r.at >= to_timestamp(?::float8 / 1000.0) and r.at < to_timestamp(?::float8 / 1000.0)
    and r.at = f.at and r.value is distinct from f.value`;

/** A stretch that is converted by one statement, ms: none is to run long. */
const STRETCH_MS = 7 * 86_400_000;

/**
 * Converts stored readings from a time on anew, from their raw values, each by what is in force at its time: as if it had been in force when
 * they came. Gives how many changed. Done twice it changes nothing more; `signal` ends it between two stretches.
 */
export async function reconvert(
  database: Database,
  point: PointEntry,
  versions: readonly CalibrationInForce[],
  from: number,
  { signal, progress }: { readonly signal?: AbortSignal; readonly progress?: (share: number, changed: number) => void } = {},
): Promise<number> {
  const { rows } = await database.raw<{ rows: { first: number | null; last: number | null }[] }>(
    `select extract(epoch from min(at)) * 1000 as first, extract(epoch from max(at)) * 1000 as last from reading where point_id = ? and at >= to_timestamp(? / 1000.0)`,
    [point.id, from],
  );
  const [span] = rows;
  if (!span || span.first === null || span.last === null) return 0;
  const [first, last] = [Math.floor(Number(span.first)), Number(span.last)];
  const { raw, physicalMin, physicalMax } = point.body;
  const physical = isUncalibrated(raw, versions) ? [-Infinity, Infinity] : [physicalMin, physicalMax];
  const sent = [raw?.min ?? -Infinity, raw?.max ?? Infinity];
  const begins = new Set([first, ...versions.map((one) => one.from).filter((at) => at > first && at <= last)]);
  for (let at = first; at <= last; at += STRETCH_MS) begins.add(at);
  const sorted = [...begins].sort((a, b) => a - b);
  let changed = 0;
  for (const [i, begin] of sorted.entries()) {
    // JSON has no infinity: open ends are left out.
    const open = (at: number): number | null => (Number.isFinite(at) ? at : null);
    const pieces = piecesOf(conversionAt(point.body.raw, versions, begin)).map(({ from: first, to: last, offset: shift, ...piece }) => ({
      ...piece,
      ...{ first: open(first), last: open(last), shift },
    }));
    const end = sorted[i + 1] ?? last + 1;
    if (signal?.aborted) return changed;
    const rewritten = await database.transaction(async (trx) => {
      const { rowCount } = await trx.raw<{ rowCount: number }>(CONVERT, [
        ...[JSON.stringify(pieces), point.id, begin, end],
        ...[...physical, ...sent],
        ...[point.id, begin, end],
      ]);
      if (rowCount > 0) await markSpan(trx, [point.id], begin, end);
      return rowCount;
    });
    changed += rewritten;
    progress?.((end - first) / (last + 1 - first), rewritten);
  }
  return changed;
}
