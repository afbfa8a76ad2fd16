import { freshForMs, isTwoStates } from '@dewpost/core/alarm';
import { isForbidden, limitReached, litresSince, spentAt, type LimitReached } from '@dewpost/core/control';
import { formatNumber, formatSpan } from '@dewpost/core/quantity';
import type { PointEntry } from '../model/entries';
import { intervalSeconds } from '../model/periods';
import type { OutputsKnown } from './outputs-known';
import { shown } from './own-words';

/** What keeps an output off, whoever wants it. */
export interface Hindrance {
  readonly kind: LimitReached | 'forbidden';
  readonly words: string;
}

/** What a point reads for sure; `null`: nobody knows it now. */
function knownValue(point: PointEntry | undefined, known: OutputsKnown, now: number): number | null {
  const reading = point && !point.node.silent ? known.newest.get(point.id) : undefined;
  if (!point || !reading || reading.quality === 'bad') return null;
  return point.body.confirm === 'hold' || now - reading.at < freshForMs(intervalSeconds(point)) ? reading.value : null;
}

/** Litres in one count of a meter. */
const litresACount = (meter: PointEntry): number => (meter.body.unit === 'm³' ? 1000 : 1);

function litresToday(output: PointEntry, known: OutputsKnown, now: number): number | null {
  const { limits } = output;
  const meter = limits?.meter == null ? undefined : limits.point(limits.meter);
  const count = knownValue(meter, known, now);
  if (!limits?.meterAt || !meter || count === null || limits.meterAt.day !== limits.midnight(now)) return null;
  // Limits act at their figure: what a float makes of it is no litre less.
  return Math.round(litresSince(limits.meterAt.count, count) * litresACount(meter) * 1e6) / 1e6;
}

/** What a condition has come to, in words. */
function conditionWords(point: PointEntry | undefined, value: number | null): string {
  const name = point ? `${point.body.label} of ${point.node.title}` : 'a point that is gone';
  if (!point || value === null) return `nobody knows what ${name} reads`;
  const now = shown(point, value);
  return isTwoStates(point.body.confirm, point.body) ? `${now}, ${point.node.title}` : `${name} reads ${now}`;
}

/** What keeps this output off now (ms), by its day or by a condition; `null`: nothing of the kind. */
export function hindranceOf(output: PointEntry, known: OutputsKnown, now: number): Hindrance | null {
  const { limits } = output;
  if (!limits) return null;
  for (const { point: id, ...level } of limits.forbids) {
    const point = limits.point(id);
    const value = knownValue(point, known, now);
    if (!isForbidden(level, value)) continue;
    return { kind: 'forbidden', words: `forbidden: ${conditionWords(point, value)}` };
  }
  const spent = spentAt(known.relays.get(output.id)?.today ?? null, now, limits.midnight(now));
  const kind = limitReached(limits, spent, limits.litres === null ? null : litresToday(output, known, now));
  switch (kind) {
    case null:
      return null;
    case 'seconds':
      return { kind, words: `its ${formatSpan(limits.seconds ?? 0)} of the day are spent` };
    case 'starts':
      return { kind, words: `its ${limits.starts} starts of the day are spent` };
    case 'litres':
      return { kind, words: `its ${formatNumber(limits.litres ?? 0, 0)} l of the day are spent` };
    case 'meter':
      return { kind, words: 'its meter is not heard, so nobody knows what went through' };
  }
}
