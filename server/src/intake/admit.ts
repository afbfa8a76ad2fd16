import { FLAG, type Item, type Received, type Verdict } from './batch';
import type { Draft } from '../engine/draft';
import { tooLateAfterMs } from '../model/periods';

const AHEAD_MS = 5000;
const OLDEST = Date.UTC(2020, 0, 1);
const BACKFILL_MS = 30 * 86_400_000;

/**
 * Lets in records of known points, with a time that can be used: one more than 5 s ahead or before 2020 gets its arrival
 * time and the flag `clock`; one over 30 days old is refused; one without a time gets a time strictly after its point's last one.
 */
export function admit(messages: readonly Received[], verdicts: readonly Verdict[], draft: Draft): Item[] {
  const lastAt = new Map<number, number>();
  const items: Item[] = [];
  messages.forEach(({ node, arrivedAt, decoded }, message) => {
    const verdict = verdicts[message];
    if (!verdict) return;
    verdict.refused.push(...decoded.refusals);
    const lateBefore = arrivedAt - tooLateAfterMs(node);
    for (const sample of decoded.samples) {
      const point = node.points.get(sample.point);
      const refusal = !point
        ? `unknown point: ${node.name} has ${[...node.points.keys()].join(', ')}`
        : point.body.kind === 'derived'
          ? 'this point is computed here; send what it is computed from'
          : sample.at !== null && sample.at >= OLDEST && sample.at < arrivedAt - BACKFILL_MS
            ? 'older than 30 days: a person can import it'
            : null;
      if (!point || refusal !== null) {
        verdict.refused.push({ point: sample.point, why: refusal ?? '' });
        continue;
      }
      let flags = 0;
      let { at } = sample;
      if (at !== null && (at > arrivedAt + AHEAD_MS || at < OLDEST)) {
        at = null;
        flags |= FLAG.clock;
        verdict.clockOff = true;
      }
      const last = lastAt.get(point.id) ?? draft.newest.get(point.id)?.at ?? 0;
      at ??= Math.max(arrivedAt, last + 1);
      if (at > last) lastAt.set(point.id, at);
      if (at < lateBefore) flags |= FLAG.late;
      items.push({ message, point, at, raw: sample.value, value: sample.value, flags, quality: 'good', reason: null, arrivedAt });
    }
  });
  return items;
}
