/** What an output may do within one site day, and what forbids it; times in s, `null`: no limit. */
export interface OutputLimits {
  /** Time on. */
  readonly seconds: number | null;
  /** Times it is switched on. */
  readonly starts: number | null;
  /** Litres through a meter. */
  readonly litres: number | null;
}

/** Is nothing limited and nothing forbidden? */
export const limitsNothing = ({ seconds, starts, litres, forbids }: OutputLimits & { readonly forbids: readonly unknown[] }): boolean =>
  seconds === null && starts === null && litres === null && forbids.length === 0;

/** What an output has done on one site day. Times in ms since 1970. */
export interface SpentToday {
  /** Begin of the day. */
  readonly day: number;
  readonly runMs: number;
  readonly starts: number;
  /** Since when it runs, as it was read back; `null`: it does not. */
  readonly onSince: number | null;
}

/** The same as of another time: a day that has begun since starts anew, and a run that goes on over midnight is no start of it. */
function onDay(spent: SpentToday | null, day: number): SpentToday {
  if (spent === null || spent.day !== day) {
    const onSince = spent?.onSince ?? null;
    return { day, runMs: 0, starts: 0, onSince: onSince === null ? null : Math.max(day, onSince) };
  }
  return spent;
}

/** What it has done after it was read back on or off, so since `since`; `day`: when the site day of `now` begins. */
export function spentAfter(before: SpentToday | null, on: boolean, since: number, now: number, day: number): SpentToday {
  const spent = onDay(before, day);
  if (on === (spent.onSince !== null)) return spent;
  const at = Math.min(now, Math.max(since, day));
  if (on) return { ...spent, starts: spent.starts + 1, onSince: at };
  return { ...spent, runMs: spent.runMs + Math.max(0, at - (spent.onSince ?? at)), onSince: null };
}

/** Time on and starts of the day so far. */
export function spentAt(before: SpentToday | null, now: number, day: number): { runMs: number; starts: number; on: boolean } {
  const { runMs, starts, onSince } = onDay(before, day);
  return { runMs: runMs + (onSince === null ? 0 : Math.max(0, now - onSince)), starts, on: onSince !== null };
}

/** Which limit binds; `meter`: it has one in litres, and nobody knows how many there were. */
export type LimitReached = 'seconds' | 'starts' | 'litres' | 'meter';

/**
 * Does a limit of the day keep the output off? Limits act *at* their figure; the last start that is allowed runs to its end. `litres`: through
 * the meter since midnight; `null`: not known, which keeps a limited output off.
 */
export function limitReached(
  limits: OutputLimits,
  spent: { readonly runMs: number; readonly starts: number; readonly on: boolean },
  litres: number | null,
): LimitReached | null {
  if (limits.seconds !== null && spent.runMs >= limits.seconds * 1000) return 'seconds';
  if (limits.starts !== null && !spent.on && spent.starts >= limits.starts) return 'starts';
  if (limits.litres === null) return null;
  if (litres === null) return 'meter';
  return litres >= limits.litres ? 'litres' : null;
}

/** Litres through a meter that counts up, from its count at midnight; one that was reset counts from nothing. */
export const litresSince = (atMidnight: number, now: number): number => (now >= atMidnight ? now - atMidnight : now);

/** A condition that forbids an output: a point that reads beyond a level. */
export interface Forbids {
  readonly side: 'high' | 'low';
  readonly setpoint: number;
}
/** `null`: nobody knows what it reads, which forbids as well. */
export const isForbidden = ({ side, setpoint }: Forbids, value: number | null): boolean =>
  value === null || (side === 'high' ? value >= setpoint : value <= setpoint);
