import { DateTime } from 'luxon';
import { quantile } from './quantile';

/** What a point usually reads at each hour of the week, in its unit: Monday 00:00 of site time is hour 0. */
export interface Habit {
  readonly zone: string;
  /** Between which values nine of ten quarters of an hour lay; `null`: too few to say. 168 each. */
  readonly low: readonly (number | null)[];
  readonly high: readonly (number | null)[];
  /** Weeks that it was learnt from. */
  readonly weeks: number;
}
/** The mean of a quarter of an hour, beginning at `at` (ms). */
export interface QuarterMean {
  readonly at: number;
  readonly mean: number;
}

export const HOURS_OF_WEEK = 168;
/** Weeks that are looked back over, and fewest of them that a habit is learnt from. Ours: six weeks forget a season, two are chance. */
export const HABIT_WEEKS = 6;
export const LEAST_WEEKS = 3;
/** Outside of which lies one in ten: five in a hundred on either side. */
const TAIL = 0.05;
const HOUR_MS = 3_600_000;

/** The hour of the week of a time (ms) in site time, 0 to 167; looked up once for every quarter of an hour. */
export function hourOfWeekIn(zone: string): (at: number) => number {
  const known = new Map<number, number>();
  return (at) => {
    // Zones lie whole quarters of an hour apart.
    const quarter = Math.floor(at / (HOUR_MS / 4));
    let hour = known.get(quarter);
    if (hour === undefined) {
      const local = DateTime.fromMillis(at, { zone });
      hour = (local.weekday - 1) * 24 + local.hour;
      known.set(quarter, hour);
    }
    return hour;
  };
}

/**
 * What is usual, from quarters of an hour in any order. An hour is known where it was read in `LEAST_WEEKS` weeks at least; the hour before and the
 * hour after it count with it, since habits do not begin on the stroke.
 */
export function learnHabit(quarters: readonly QuarterMean[], zone: string): Habit {
  const hourOf = hourOfWeekIn(zone);
  const values: number[][] = Array.from({ length: HOURS_OF_WEEK }, () => []);
  const weeks: Set<number>[] = Array.from({ length: HOURS_OF_WEEK }, () => new Set());
  const all = new Set<number>();
  for (const { at, mean } of quarters) {
    if (!Number.isFinite(mean)) continue;
    const hour = hourOf(at);
    // By the Monday that its week began on: a week of site time is an hour longer or shorter twice a year.
    const week = Math.round((at - hour * HOUR_MS) / (HOURS_OF_WEEK * HOUR_MS));
    values[hour]?.push(mean);
    weeks[hour]?.add(week);
    all.add(week);
  }
  const around = (hour: number): number[] => [-1, 0, 1].flatMap((step) => values[(hour + step + HOURS_OF_WEEK) % HOURS_OF_WEEK] ?? []);
  const isKnown = (hour: number): boolean => (weeks[hour]?.size ?? 0) >= LEAST_WEEKS;
  const ends = (share: number): (number | null)[] => values.map((_, hour) => (isKnown(hour) ? quantile(around(hour), share) : null));
  return { zone, low: ends(TAIL), high: ends(1 - TAIL), weeks: all.size };
}

/** Is there an hour that it knows anything of? */
export const knowsAnything = ({ low }: Habit): boolean => low.some((value) => value !== null);

/** Hours of the week by zone: looked up anew by nobody. */
const hours = new Map<string, (at: number) => number>();

/** Between which values it usually lies at a time (ms); `null`: nobody knows. */
export function usualAt({ zone, low, high }: Habit, at: number): { low: number; high: number } | null {
  let hourOf = hours.get(zone);
  if (!hourOf) hours.set(zone, (hourOf = hourOfWeekIn(zone)));
  const hour = hourOf(at);
  const [from, to] = [low[hour], high[hour]];
  return from == null || to == null ? null : { low: from, high: to };
}

/** How far a value lies above (below: negative) of what is usual at a time, in the point's unit; 0 within it, `null`: nobody knows. */
export function departureOf(habit: Habit, at: number, value: number): number | null {
  const usual = usualAt(habit, at);
  if (usual === null) return null;
  if (value > usual.high) return Number((value - usual.high).toPrecision(12));
  return value < usual.low ? Number((value - usual.low).toPrecision(12)) : 0;
}
