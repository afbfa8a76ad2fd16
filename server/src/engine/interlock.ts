import type { PointEntry } from '../model/entries';
import type { OutputsKnown } from './outputs-known';

/** Does it run, or may it, for all that is known? Unknown is not off until its lease is over. Times in ms. */
export function mayRun(known: OutputsKnown, output: PointEntry, now: number, listeningSince: number): boolean {
  const leaseMs = (output.body.output?.leaseSeconds ?? 60) * 1000;
  const [relay, last] = [known.relays.get(output.id), known.commands.get(output.id)];
  // Told on, and not answered yet.
  if (last?.on && last.answeredAt === null && now - last.at < leaseMs) return true;
  if (relay?.state === true) return true;
  if (relay?.state === false) return false;
  if (relay === undefined && last === undefined) return false;
  const renewedAt = last?.on ? last.at : listeningSince;
  return now - renewedAt < leaseMs;
}

/** What of the outputs that are wanted may run now: none with one that wins over it wanted or running, and none before those it wins over are off. */
export function grantedOf(
  wanted: ReadonlySet<PointEntry>,
  running: (output: PointEntry) => boolean,
): { granted: Set<PointEntry>; ousted: Set<PointEntry> } {
  const granted = new Set<PointEntry>();
  const ousted = new Set<PointEntry>();
  for (const output of wanted) {
    if (output.winners.some((winner) => wanted.has(winner) || running(winner))) continue;
    for (const loser of output.losers) if (running(loser)) ousted.add(loser);
    // What runs already goes on: whoever loses to it is not granted.
    if (running(output) || !output.losers.some(running)) granted.add(output);
  }
  return { granted, ousted };
}
