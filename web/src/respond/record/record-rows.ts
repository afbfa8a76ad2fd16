import type { RehearsalFigures } from '@dewpost/core/alarm';
import type { OutputOverRecord } from '@dewpost/core/control';
import { formatDuration, formatNumber } from '@dewpost/core/quantity';
import type { PlainColumn, PlainRow } from '../../parts/plain-table';

/** Figures of what a rule would have done. */
export const COLUMNS: readonly PlainColumn[] = [
  { id: 'what', label: 'rule', kind: 'head' },
  ...['trips', 'a day', 'in alarm', 'longest', 'fleeting', 'chattering'].map((id) => ({ id, label: id, kind: 'figure' as const })),
];
export const rowOf = (what: string, figures: RehearsalFigures): PlainRow => ({
  what,
  trips: String(figures.trips),
  'a day': formatNumber(figures.perDay, 1),
  'in alarm': formatDuration(figures.inAlarmMs),
  longest: formatDuration(figures.longestMs),
  fleeting: String(figures.fleeting),
  chattering: String(figures.chattering),
});

/** The same with what its output would have done. */
export const COLUMNS_WITH_OUTPUT: readonly PlainColumn[] = [
  ...COLUMNS,
  ...['starts a day', 'on a day', 'kept off a day'].map((id) => ({ id, label: id, kind: 'figure' as const })),
];
const DAY_MS = 86_400_000;
/** What an output would have done over a record of so long (ms); `null`: there is none. */
export function outputCells(did: OutputOverRecord | null, lengthMs: number): Record<string, string> {
  if (did === null || lengthMs <= 0) return { 'starts a day': '–', 'on a day': '–', 'kept off a day': '–' };
  const days = lengthMs / DAY_MS;
  return {
    'starts a day': formatNumber(did.starts / days, 1),
    'on a day': formatDuration(did.onMs / days),
    'kept off a day': formatDuration(did.keptOffMs / days),
  };
}

/** How many stretches of a record are drawn. */
const STRETCHES = 400;
type Row = [number, number, number];
/** The lowest and highest of each of some hundred stretches, in order of time: no extreme is lost. */
export function thinned(rows: readonly Row[]): Row[] {
  if (rows.length <= 2 * STRETCHES) return [...rows];
  const size = Math.ceil(rows.length / STRETCHES);
  const kept: Row[] = [];
  for (let i = 0; i < rows.length; i += size) {
    const part = rows.slice(i, i + size).filter(([, , quality]) => quality < 2);
    const [first] = part;
    if (!first) continue;
    const low = part.reduce((best, row) => (row[1] < best[1] ? row : best), first);
    const high = part.reduce((best, row) => (row[1] > best[1] ? row : best), first);
    kept.push(...(low === high ? [low] : low[0] < high[0] ? [low, high] : [high, low]));
  }
  return kept;
}
