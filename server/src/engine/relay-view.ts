import type { Relay } from '@dewpost/contract';
import type { LimitsInForce, NodeEntry, PointEntry } from '../model/entries';
import type { EngineState } from './draft';
import { hindranceOf } from './hindrance';
import type { OutputsKnown } from './outputs-known';

/** An output's state with who asks for it and when it ends, at `now` (ms). */
export function relayView(known: OutputsKnown, output: PointEntry, now: number): Relay {
  const relay = known.relays.get(output.id);
  const demands = (known.demands.get(output.id) ?? []).filter(({ startedAt }) => startedAt <= now);
  // A hand goes before a timetable, and both before rules: they have an end.
  const hand = demands.find(({ source }) => source === 'hand' || source === 'fit') ?? demands.find(({ source }) => source === 'timetable');
  const asked = hand ?? demands[0];
  const last = known.commands.get(output.id);
  const settings = output.body.output;
  const leaseMs = (settings?.leaseSeconds ?? 60) * 1000;
  const maxRun = settings?.guards.maxRunSeconds ?? null;
  const since = relay?.since ?? null;
  const runEnds = relay?.state && since !== null && maxRun !== null ? since + maxRun * 1000 : null;
  const handEnds = hand && demands.length === 1 ? hand.endsAt : null;
  const ends = [runEnds, handEnds].filter((at): at is number => at !== null);
  return {
    point: output.id,
    state: relay?.state ?? null,
    readAt: relay?.readAt ?? null,
    since,
    result: relay?.result ?? null,
    reason: relay?.reason ?? null,
    heldUntil: relay?.heldUntil ?? null,
    askedBy: asked?.by ?? null,
    askedFor: asked === undefined ? null : asked.source === 'fit' ? 'hand' : asked.source,
    lock: output.lock,
    heldOffBy: heldOffBy(known, output, now),
    timetable: output.timetable && {
      version: output.timetable.version,
      lines: output.timetable.lines,
      hours: output.timetable.hours,
    },
    limits: output.limits && limitsOf(output.limits),
    limitedBy: asked ? (hindranceOf(output, known, now)?.words ?? null) : null,
    today: relay?.today ?? null,
    endsAt: hand?.endsAt ?? null,
    offAt: relay?.state && ends.length > 0 ? Math.min(...ends) : null,
    leaseUntil: last?.on ? last.at + leaseMs : null,
    wear: relay?.wear ?? null,
    renewing: Boolean(last?.on && now - last.at < leaseMs),
  };
}

const limitsOf = ({ version, seconds, starts, litres, meter, forbids }: LimitsInForce): Relay['limits'] => ({
  ...{ version, seconds, starts, litres, meter, forbids },
});

/** Which output wins over it just now, while somebody wants it: asked for, or read on. */
function heldOffBy(known: OutputsKnown, output: PointEntry, now: number): string | null {
  // One whose day is spent, or that is forbidden, wins over nobody.
  const wants = (one: PointEntry): boolean =>
    (known.demands.get(one.id) ?? []).some(({ startedAt }) => startedAt <= now) && hindranceOf(one, known, now) === null;
  if (!wants(output)) return null;
  const winner = output.winners.find((one) => wants(one) || known.relays.get(one.id)?.state === true);
  return winner ? `${winner.body.label} of ${winner.node.title}` : null;
}

/** A node's outputs once its link is lost: what they are is not known. */
export const outOfReach = (state: EngineState, node: NodeEntry): Relay[] =>
  [...node.points.values()].flatMap((point): Relay[] => {
    const relay = state.relays.get(point.id);
    return relay ? [{ ...relay, state: null, renewing: false }] : [];
  });
