import type { Hurried, Target, Telling } from '@dewpost/core/alarm';

/** What was told of an open alert. */
export interface Told {
  /** How often each course was, by its number. */
  readonly times: ReadonlyMap<number, number>;
  /** Everybody who was told. */
  readonly to: ReadonlySet<Target>;
  /** Nobody was reached up to a course: known to the running server. */
  readonly hurried: Hurried | null;
}
export const NOBODY_TOLD: Told = { times: new Map(), to: new Set(), hurried: null };

/** The same, once another telling has gone. */
export const toldWith = (
  { times, to, hurried }: Told,
  { course, repetition, to: targets }: Pick<Telling, 'course' | 'repetition' | 'to'>,
): Told => ({
  times: new Map(times).set(course, Math.max(times.get(course) ?? 0, repetition + 1)),
  to: new Set([...to, ...targets]),
  hurried,
});

/** The same as it lies with its alert in the database. */
export interface ToldRow {
  readonly times: Readonly<Record<string, number>>;
  readonly to: readonly Target[];
}
export const rowOfTold = ({ times, to }: Told): ToldRow => ({ times: Object.fromEntries(times), to: [...to] });
export const toldOfRow = ({ times, to }: ToldRow): Told => ({
  times: new Map(Object.entries(times).map(([course, count]) => [Number(course), count])),
  to: new Set(to),
  hurried: null,
});
