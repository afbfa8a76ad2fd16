import { watch, type Point, type ReadingRow } from '@dewpost/contract';
import type { Quality, Sample } from '@dewpost/core/alarm';
import type { Api } from '../../data/api';

/** Most that one answer holds, and most answers for one record. */
const PAGE = 20_000;
const PAGES = 10;
const QUALITIES: readonly Quality[] = ['good', 'suspect', 'bad'];

export interface LoadedRecord {
  readonly rows: readonly ReadingRow[];
  readonly samples: readonly Sample[];
  readonly from: number;
  readonly until: number;
}

/** Every reading of a point from `from` to `until`, page by page; `PAGES` of them at most, and `until` is then where they end. */
export async function loadRecord(api: Api, point: Point, from: number, until: number): Promise<LoadedRecord> {
  const rows: ReadingRow[] = [];
  let begin = from;
  for (let page = 0; page < PAGES; page++) {
    const { readings } = await api.call(watch.history, {
      params: { node: point.node, point: point.name },
      query: { from: String(begin), to: String(until), max: PAGE, level: 'raw' },
    });
    for (const row of readings) rows.push(row);
    const last = readings.at(-1);
    if (!last || readings.length < PAGE) return loaded(rows, from, until);
    begin = last[0] + 1;
  }
  return loaded(rows, from, rows.at(-1)?.[0] ?? until);
}

function loaded(rows: readonly ReadingRow[], from: number, until: number): LoadedRecord {
  // A point that is younger than the span is judged over its own days.
  const begin = Math.max(from, rows[0]?.[0] ?? from);
  return { rows, samples: rows.map(([at, value, quality]) => ({ at, value, quality: QUALITIES[quality] ?? 'bad' })), from: begin, until };
}
