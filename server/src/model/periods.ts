import type { NodeEntry, PointEntry } from './entries';

/** The longest that a battery node may be without a sign of life; an hour where a point protects (semantics §2). */
const HEARTBEAT_SECONDS = 86_400;
const PROTECTIVE_HEARTBEAT_SECONDS = 3600;
/** From this interval on a node sleeps between its reports, and a wake that comes a little late is none that was missed. */
const SLEEPS_SECONDS = 300;

/** How long a node may be quiet before it is silent: three reports that were missed, or two signs of life of one that sleeps. */
export function silentAfterMs(node: NodeEntry): number {
  const protects = [...node.points.values()].some((point) => point.body.protective);
  const heartbeat = Math.min(node.reportSeconds, protects ? PROTECTIVE_HEARTBEAT_SECONDS : HEARTBEAT_SECONDS);
  if (heartbeat < SLEEPS_SECONDS) return Math.max(3 * heartbeat * 1000, 5000);
  // A twentieth of grace: clocks of small boards.
  return 2 * heartbeat * 1000 * 1.05;
}

/** A reading found later than this after it was taken came in a backfill: its alerts "happened earlier" and command no output. */
export const tooLateAfterMs = (node: NodeEntry): number => Math.max(2 * node.reportSeconds * 1000, 60_000);

/** How often a point is told, s: what is computed is as slow as the slowest that it is computed from. */
export function intervalSeconds(point: PointEntry): number {
  const { inputs, node } = point;
  return inputs.length === 0 ? node.reportSeconds : Math.max(...inputs.map(intervalSeconds));
}
