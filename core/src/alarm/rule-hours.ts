import { DateTime } from 'luxon';

/** When a rule is judged, by the clock on a site's wall. */
export interface RuleHours {
  readonly zone: string;
  /** ISO 8601: 1 is Monday; over midnight the day it begins on. */
  readonly weekdays: readonly number[];
  /** Minutes of the day; the first counts, the second does not. Over midnight where `to` is not the larger; alike: the whole day. */
  readonly from: number;
  readonly to: number;
}

interface Stretch {
  readonly from: number;
  readonly until: number;
  readonly within: boolean;
}

/** The stretch of a time that was asked for last, by its hours: a record is asked sample by sample. */
const last = new WeakMap<RuleHours, Stretch>();

/** Does this time (ms since 1970) lie within the hours? */
export function isWithin(hours: RuleHours, at: number): boolean {
  return stretchOf(hours, at).within;
}

/** Until when the answer of `isWithin` is the same as at a time, ms; it may be the same again after it. */
export const sameUntil = (hours: RuleHours, at: number): number => stretchOf(hours, at).until;

function stretchOf(hours: RuleHours, at: number): Stretch {
  const known = last.get(hours);
  if (known && at >= known.from && at < known.until) return known;
  const stretch = stretchAt(hours, at);
  last.set(hours, stretch);
  return stretch;
}

/** The stretch around a time over which the answer is the same: between two neighbouring edges. */
function stretchAt({ zone, weekdays, from, to }: RuleHours, at: number): Stretch {
  const today = DateTime.fromMillis(at, { zone }).startOf('day');
  const spans = [-1, 0, 1].flatMap((days): [number, number][] => {
    const day = today.plus({ days });
    if (!weekdays.includes(day.weekday)) return [];
    return [[onDay(day, from), onDay(to > from ? day : day.plus({ days: 1 }), to)]];
  });
  const within = spans.some(([begin, end]) => at >= begin && at < end);
  const edges = [today.toMillis(), today.plus({ days: 1 }).toMillis(), ...spans.flat()];
  return {
    from: Math.max(...edges.filter((edge) => edge <= at)),
    until: Math.min(...edges.filter((edge) => edge > at)),
    within,
  };
}

/** A minute of a day by the clock on the wall; what the clock leaves out in spring is as much later. */
const onDay = (day: DateTime, minute: number): number => day.set({ hour: Math.floor(minute / 60), minute: minute % 60 }).toMillis();
