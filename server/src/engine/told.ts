import type { Hurried, Target, Telling } from '@dewpost/core/alarm';

/** What was told of an open alert. */
export interface Told {
  /** For when each course was told last, by its number, ms. */
  readonly at: ReadonlyMap<number, number>;
  /** Everybody who was told. */
  readonly to: ReadonlySet<Target>;
  /** Nobody was reached up to a course: known to the running server. */
  readonly hurried: Hurried | null;
}
export const NOBODY_TOLD: Told = { at: new Map(), to: new Set(), hurried: null };

/** The same, once another telling has gone. */
export const toldWith = ({ at, to, hurried }: Told, telling: Pick<Telling, 'course' | 'at' | 'to'>): Told => ({
  at: new Map(at).set(telling.course, telling.at),
  to: new Set([...to, ...telling.to]),
  hurried,
});

/** The same as it lies with its alert in the database. */
export interface ToldRow {
  readonly at: Readonly<Record<string, number>>;
  readonly to: readonly Target[];
}
export const rowOfTold = ({ at, to }: Told): ToldRow => ({ at: Object.fromEntries(at), to: [...to] });
export const toldOfRow = ({ at, to }: ToldRow): Told => ({
  at: new Map(Object.entries(at).map(([course, time]) => [Number(course), time])),
  to: new Set(to),
  hurried: null,
});
