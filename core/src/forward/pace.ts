/** How many messages a receiver takes in how long. */
export interface SendCap {
  readonly sends: number;
  readonly windowSeconds: number;
}

/**
 * How long to wait before the next message, ms; 0: none. `recent`: when the last ones went, oldest first, ms. No window of that length, wherever
 * it begins, has more messages than the cap.
 */
export function waitBeforeSend(recent: readonly number[], cap: SendCap | null, now: number): number {
  if (cap === null || recent.length < cap.sends) return 0;
  const oldest = recent[recent.length - cap.sends] ?? -Infinity;
  return Math.max(0, oldest + cap.windowSeconds * 1000 - now);
}

/** The times that still count, with one more: as many as the cap has, and no more. */
export const recentWith = (recent: readonly number[], cap: SendCap | null, now: number): number[] =>
  cap === null ? [] : [...recent, now].slice(-cap.sends);

export interface ForwardLoad {
  /** Readings that arise in a window. */
  readonly arise: number;
  /** Readings that the receiver takes in a window; `null`: as many as come. */
  readonly takes: number | null;
  readonly fits: boolean;
}

/** What arises in a receiver's window from points that are told every so often (s), against what it takes: messages times readings in each. */
export function forwardLoad(intervals: readonly number[], cap: SendCap | null, records: number): ForwardLoad {
  const window = cap?.windowSeconds ?? 3600;
  const arise = intervals.reduce((sum, seconds) => sum + window / seconds, 0);
  const takes = cap === null ? null : cap.sends * records;
  return { arise, takes, fits: takes === null || arise <= takes };
}
