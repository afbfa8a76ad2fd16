import type { PointEntry } from '../model/entries';
import { markStatement } from '../record/marks';
import { LEVELS } from '@dewpost/core/series';
import type { Draft } from './draft';
import type { Part } from './parts';

/** A node may say that an output has stood so for longer, ms: further back than intake takes readings nothing is recorded. */
const OLDEST_MS = 30 * 86_400_000;

/** A reading that an output's read-back became. */
export interface OutputReading {
  readonly point: PointEntry;
  readonly at: number;
  readonly value: 0 | 1;
}

/** What an output has read back, as a reading of its own where that has changed since the last; `null`: it has not. Times in ms. */
export function outputReading(draft: Draft, output: PointEntry, state: boolean, since: number, now: number): OutputReading | null {
  const value = state ? 1 : 0;
  const before = draft.newest.get(output.id);
  if (before?.value === value) return null;
  // Since when it stands so, as its node says; never before what it said last.
  const at = Math.min(now, Math.max(since, now - OLDEST_MS, (before?.at ?? -Infinity) + 1));
  draft.newest.set(output.id, { at, value, quality: 'good', reason: null });
  draft.lastGood.set(output.id, at);
  return { point: output, at, value };
}

/** The same as parts of the statement that keeps the read-back. */
export const outputParts = ({ point, at, value }: OutputReading): Part[] => [
  {
    name: 'output_recorded',
    sql: `insert into reading (point_id, at, raw, value, quality, flags, reason)
      values (cast(? as int), to_timestamp(cast(? as float8) / 1000.0), cast(? as float8), cast(? as float8), 0, 0, 0) on conflict do nothing`,
    bindings: [point.id, at, value, value],
  },
  { name: 'output_due', ...markStatement([{ point: point.id, at: Math.floor(at / LEVELS.quarter) * LEVELS.quarter }]) },
];
