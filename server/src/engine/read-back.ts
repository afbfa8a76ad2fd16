import { spentAfter, wearAfter } from '@dewpost/core/control';
import type { DoneMessage } from '@dewpost/core/wire';
import type { NodeEntry, PointEntry } from '../model/entries';
import type { Draft } from './draft';
import { nodeKey, type Effect } from './effects';
import { readsOnAfterOff, stuckAlert } from './node-alerts';
import { outputParts, outputReading, type OutputReading } from './output-record';
import { relayView } from './relay-view';
import { Writes } from './writes';

/** What follows from what a node read back of an output, at `now` (ms; its site day began at `midnight`): put into the draft, and to be written with the effects. */
export function takeReadBack(
  draft: Draft,
  node: NodeEntry,
  output: PointEntry,
  done: DoneMessage,
  now: number,
  midnight: number,
): { effects: Effect[]; writes: Writes; reading: OutputReading | null } {
  const last = draft.commands.get(output.id);
  // A late answer to an older command says what was then: it proves nothing of what was told since, and is only kept with its command.
  const late = done.id !== null && last !== undefined && done.id !== last.id;
  const key = nodeKey('output-stuck', node, output);
  const effects: Effect[] =
    !late && readsOnAfterOff(last, done, now)
      ? [stuckAlert(key, node, output, now)]
      : done.state === false && !late
        ? [{ kind: 'close-alert', key, at: now, why: 'reads back off' }]
        : [];
  if (!late) {
    const before = draft.relays.get(output.id);
    const since = done.lastedMs !== undefined ? now - done.lastedMs : before?.state === done.state ? (before?.since ?? now) : now;
    draft.relays.set(output.id, {
      ...relayView(draft, output, now),
      state: done.state,
      readAt: now,
      since,
      result: done.result,
      reason: done.reason,
      heldUntil: done.waitMs === undefined ? null : now + done.waitMs,
      wear: done.state === null ? (before?.wear ?? null) : wearAfter(before?.wear ?? null, done.state, since, now),
      today: done.state === null ? (before?.today ?? null) : spentAfter(before?.today ?? null, done.state, since, now, midnight),
    });
    if (last && done.id === last.id) draft.commands.set(output.id, { ...last, answeredAt: last.answeredAt ?? now });
  }
  if (draft.waiting.get(output.id)?.id === done.id) draft.waiting.delete(output.id);
  const writes = new Writes();
  if (done.id) writes.answer(output.id, done, now);
  const since = draft.relays.get(output.id)?.since ?? now;
  const reading = late || done.state === null ? null : outputReading(draft, output, done.state, since, now);
  if (reading) for (const part of outputParts(reading)) writes.beside(part);
  return { effects, writes, reading };
}
