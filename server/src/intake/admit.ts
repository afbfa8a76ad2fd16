import { FLAG, type Item, type Received, type Verdict } from './batch';
import type { Decoded } from './decode';
import type { Draft } from '../engine/draft';
import { tooLateAfterMs } from '../site/registry';

const AHEAD_MS = 5000;
const OLDEST = Date.UTC(2020, 0, 1);
const BACKFILL_MS = 30 * 86_400_000;

/**
 * Lets in records of known points, with a time that can be used: one more than 5 s ahead or before 2020 gets its arrival
 * time and the flag `clock`; one over 30 days old is refused; one without a time gets a time strictly after its point's last one.
 */
export function admit(messages: readonly Received[], verdicts: readonly Verdict[], decoded: readonly Decoded[], draft: Draft): Item[] {
  const lastAt = new Map<number, number>();
  return decoded.flatMap((sample): Item[] => {
    const received = messages[sample.message];
    const verdict = verdicts[sample.message];
    if (!received || !verdict) return [];
    const { node, arrivedAt } = received;
    const point = node.points.get(sample.point);
    if (!point) {
      const known = [...node.points.keys()].join(', ');
      verdict.refused.push({ point: sample.point, why: `unknown point: ${node.name} has ${known}` });
      return [];
    }
    if (point.body.kind === 'derived') {
      verdict.refused.push({ point: sample.point, why: 'this point is computed here; send what it is computed from' });
      return [];
    }
    let flags = 0;
    let at = sample.at;
    if (at !== null && (at > arrivedAt + AHEAD_MS || at < OLDEST)) {
      at = null;
      flags |= FLAG.clock;
      verdict.clockOff = true;
    }
    if (at !== null && at < arrivedAt - BACKFILL_MS) {
      verdict.refused.push({ point: sample.point, why: 'older than 30 days: a person can import it' });
      return [];
    }
    const last = lastAt.get(point.id) ?? draft.newest.get(point.id)?.at ?? 0;
    at ??= Math.max(arrivedAt, last + 1);
    lastAt.set(point.id, Math.max(last, at));
    if (arrivedAt - at > tooLateAfterMs(node)) flags |= FLAG.late;
    return [{ message: sample.message, point, at, raw: sample.value, value: sample.value, flags, quality: 'good', reason: null, arrivedAt }];
  });
}
