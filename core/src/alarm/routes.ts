import type { QuietHours } from '../time';
import type { Severity } from './severity';

/** Whom a message goes to: the handset of the house, or a way by its number. */
export type Target = 'handset' | number;

/** One stair of a route: so long after the trip these are told, and again every so often until somebody acknowledges. */
export interface Course {
  readonly afterMinutes: number;
  readonly to: readonly Target[];
  /** `null`: told once. */
  readonly everyMinutes: number | null;
}

/** Who is told of alerts of a severity. */
export interface Route {
  readonly courses: readonly Course[];
  /** In quiet hours they are told all the same, or it is kept until those are over. */
  readonly quiet: 'tell' | 'keep';
  /** When it is over everybody who was told hears it: always, outside of quiet hours, or never. */
  readonly allClear: 'always' | 'by day' | 'never';
}

/** When somebody is told. */
export interface Telling {
  readonly at: number;
  /** Which course it is, from 0, and how often it was told before. */
  readonly course: number;
  readonly repetition: number;
  readonly to: readonly Target[];
  /** Kept over quiet hours. */
  readonly kept: boolean;
}

/** Courses up to this one begin at once, since nobody was reached before them. */
export interface Hurried {
  readonly course: number;
  readonly at: number;
}

/** From when on the courses of a route count, ms: the trip, or the end of the quiet hours it fell into. */
export const countsFrom = (route: Route, trippedAt: number, quiet: QuietHours): number =>
  route.quiet === 'keep' ? quiet.endOf(trippedAt) : trippedAt;

/** From when on each course is told, ms, and how far apart; a course that has not begun by `until` is left out. */
function begun(route: Route, trippedAt: number, until: number, quiet: QuietHours, hurried: Hurried | null) {
  const base = countsFrom(route, trippedAt, quiet);
  return route.courses.flatMap(({ afterMinutes, to, everyMinutes }, course) => {
    // Whoever is gone is told nothing.
    if (to.length === 0) return [];
    const planned = base + afterMinutes * 60_000;
    const begin = hurried && course <= hurried.course ? Math.min(planned, Math.max(hurried.at, base)) : planned;
    if (begin > until) return [];
    const everyMs = everyMinutes === null ? null : everyMinutes * 60_000;
    const telling = (repetition: number): Telling => ({
      at: begin + repetition * (everyMs ?? 0),
      ...{ course, repetition, to, kept: base > trippedAt },
    });
    return [{ course, once: everyMs === null, last: everyMs === null ? 0 : Math.floor((until - begin) / everyMs), telling }];
  });
}

/**
 * Everything a route tells of an alert until a time (ms), in order, while nobody acknowledges it. What is due now is found by the same rule: what
 * would happen tonight and what happens cannot differ.
 */
export const tellings = (route: Route, trippedAt: number, until: number, quiet: QuietHours, hurried: Hurried | null = null): Telling[] =>
  begun(route, trippedAt, until, quiet, hurried)
    .flatMap(({ last, telling }) => Array.from({ length: last + 1 }, (_, repetition) => telling(repetition)))
    .sort((a, b) => a.at - b.at || a.course - b.course);

/**
 * What is due now (ms) and was not told: of each course the newest, however many were missed while nobody could tell. `told`: for when each course
 * was told last, by its number; times and not counts, so that another interval neither floods nor silences what is open.
 */
export const dueTellings = (
  route: Route,
  { trippedAt, now, told, hurried = null }: { trippedAt: number; now: number; told: ReadonlyMap<number, number>; hurried?: Hurried | null },
  quiet: QuietHours,
): Telling[] =>
  begun(route, trippedAt, now, quiet, hurried).flatMap(({ course, once, last, telling }) => {
    const before = told.get(course);
    const newest = telling(last);
    return before === undefined || (!once && newest.at > before) ? [newest] : [];
  });

/** What is wrong with a route, in words; `null`: nothing. `inside`: whom a message reaches without a link out of the house. */
export function routeFault(severity: Severity, { courses }: Pick<Route, 'courses'>, inside: ReadonlySet<Target>): string | null {
  if (courses.some(({ to }) => to.length === 0)) return 'a course tells nobody: choose whom, or take it away';
  const falls = courses.findIndex(({ afterMinutes }, i) => i > 0 && afterMinutes <= (courses[i - 1]?.afterMinutes ?? 0));
  if (falls > 0) return `course ${falls + 1} comes no later than the one before it: courses rise`;
  if (severity !== 'critical') return null;
  const [first] = courses;
  if (!first || first.afterMinutes > 0) return 'a critical alert is told at once: its first course waits for nothing';
  if (inside.size > 0 && !courses.some(({ to }) => to.some((target) => inside.has(target))))
    return 'a critical alert needs a way inside the building: the handset, or a node that speaks, works while the link out of the house is down';
  return null;
}
