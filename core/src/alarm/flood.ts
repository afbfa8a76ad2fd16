import type { Severity } from './severity';

/** An alert that opened while people were told. */
export interface Opening {
  /** Its key: while it stands no other has it. */
  readonly key: string;
  readonly at: number;
  /** What it is, for whoever hears of the flood that it began. */
  readonly title: string;
}

/** How crowded alerts are that somebody is told of. Times in ms. */
export interface Flood {
  /** The newest of the last ten minutes, the oldest first: as many as begin a flood. */
  readonly openings: readonly Opening[];
  /** Since when it is a flood, and which alert came first of it; `null`: it is none. */
  readonly since: number | null;
  readonly first: Opening | null;
  /** From when on what is held back goes as one message. */
  readonly sumFrom: number;
}
export const NO_FLOOD: Flood = { openings: [], since: null, first: null, sumFrom: 0 };

/**
 * A flood is more than ten alerts in ten minutes for one person, until there are fewer than five: ANSI/ISA-18.2 and EEMUA 191, as
 * `reference-values.md` §9 gives them.
 */
export const FLOOD_WINDOW_MS = 600_000;
export const FLOOD_BEGINS = 10;
export const FLOOD_ENDS = 5;
/** What opens with the first is waited for that long, then one message goes at most each minute. Ours. */
const GATHERS_MS = 5000;
const SUM_EVERY_MS = 60_000;

/** The same at `now`, ms, after these have opened, in their order. */
export function floodAt(before: Flood, now: number, opened: readonly Opening[] = []): Flood {
  // Nothing has come, and nothing is old enough to go: as most pieces of work find it.
  if (opened.length === 0 && (before.openings[0]?.at ?? Infinity) > now - FLOOD_WINDOW_MS) return before;
  const within = [...before.openings, ...opened].filter(({ at }) => at > now - FLOOD_WINDOW_MS);
  // Whether it is a flood shows by the newest: however many there were, no more are kept.
  const openings = within.slice(-(FLOOD_BEGINS + 1));
  if (before.since !== null) return openings.length < FLOOD_ENDS ? { ...NO_FLOOD, openings } : { ...before, openings };
  if (openings.length <= FLOOD_BEGINS) return { ...before, openings };
  return { openings, since: now, first: within[0] ?? null, sumFrom: now + GATHERS_MS };
}

/**
 * How an alert is told while they crowd: by itself, or with all others that are held back, in one message. A critical one is always told by
 * itself, and so is the one that came first: what comes after it is mostly its consequence.
 */
export const toldBy = (flood: Flood, severity: Severity, key: string): 'itself' | 'sum' =>
  flood.since === null || severity === 'critical' || flood.first?.key === key ? 'itself' : 'sum';

/** Is it time for the next message of what was held back? */
export const isSumDue = (flood: Flood, now: number): boolean => now >= flood.sumFrom;

/** The same once such a message has gone at `now`, ms. */
export const summed = (flood: Flood, now: number): Flood => ({ ...flood, sumFrom: now + SUM_EVERY_MS });

/** The same after the clock was set by so much, ms. */
export const floodShifted = (flood: Flood, byMs: number): Flood => ({
  openings: flood.openings.map((opening) => ({ ...opening, at: opening.at + byMs })),
  since: flood.since === null ? null : flood.since + byMs,
  first: flood.first && { ...flood.first, at: flood.first.at + byMs },
  sumFrom: flood.sumFrom + byMs,
});
