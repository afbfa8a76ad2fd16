import type { Hurried, Target, Telling } from '@dewpost/core/alarm';

/** What was told of an open alert. */
export interface Told {
  /** For when each course was told last, by its number, ms. */
  readonly at: ReadonlyMap<number, number>;
  /** Everybody who was told. */
  readonly to: ReadonlySet<Target>;
  /** By how much the clock was set since the trip, ms: routes count from the trip and this. */
  readonly shiftMs: number;
  /** Nobody was reached up to a course: known to the running server. */
  readonly hurried: Hurried | null;
}
export const NOBODY_TOLD: Told = { at: new Map(), to: new Set(), shiftMs: 0, hurried: null };

/** The same, once another telling has gone. */
export const toldWith = ({ at, to, shiftMs, hurried }: Told, telling: Pick<Telling, 'course' | 'at' | 'to'>): Told => ({
  shiftMs,
  at: new Map(at).set(telling.course, telling.at),
  to: new Set([...to, ...telling.to]),
  hurried,
});

/** The same after the clock was set by so much, ms. */
export const toldShifted = ({ at, to, shiftMs, hurried }: Told, byMs: number): Told => ({
  at: new Map([...at].map(([course, time]) => [course, time + byMs])),
  to,
  shiftMs: shiftMs + byMs,
  hurried: hurried && { ...hurried, at: hurried.at + byMs },
});

/** The same as it lies with its alert in the database. */
export interface ToldRow {
  readonly at: Readonly<Record<string, number>>;
  readonly to: readonly Target[];
  readonly shiftMs: number;
}
export const rowOfTold = ({ at, to, shiftMs }: Told): ToldRow => ({ at: Object.fromEntries(at), to: [...to], shiftMs });
export const toldOfRow = ({ at, to, shiftMs }: ToldRow): Told => ({
  at: new Map(Object.entries(at).map(([course, time]) => [Number(course), time])),
  to: new Set(to),
  shiftMs,
  hurried: null,
});

/** Of an alert that comes off the shelf: its route counts from now, and whoever was told before is told anew. Times in ms. */
export const toldAnew = ({ to }: Told, trippedAt: number, now: number): Told => ({
  at: new Map(),
  to,
  shiftMs: now - trippedAt,
  hurried: null,
});
