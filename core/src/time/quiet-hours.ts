import { DateTime } from 'luxon';

/** Minutes since midnight by the clock of a time zone, at a time (ms). */
export function minuteAt(zone: string, at: number): number {
  const { hour, minute } = DateTime.fromMillis(at, { zone });
  return hour * 60 + minute;
}

/** Does a time (ms) lie within hours of the day of a site, over midnight where the second is earlier? Alike: never. */
export function isWithinHours(zone: string, { from, to }: { readonly from: number; readonly to: number }, at: number): boolean {
  const now = minuteAt(zone, at);
  return from <= to ? now >= from && now < to : now >= from || now < to;
}

/** Hours of the day in which people are not to be woken for everything, in a site's own time. */
export interface QuietHours {
  isQuiet(at: number): boolean;
  /** When the quiet hours that a time (ms) lies in are over; the time itself where it lies in none. */
  endOf(at: number): number;
}

/**
 * Quiet hours from one minute of the day to another, over midnight where the second is earlier; `null`, or both alike: never. On the days of a
 * clock change they begin and end by the clock on the wall.
 */
export function quietHours(zone: string, hours: { readonly from: number; readonly to: number } | null): QuietHours {
  if (hours === null || hours.from === hours.to) return { isQuiet: () => false, endOf: (at) => at };
  const { to } = hours;
  const isQuiet = (at: number): boolean => isWithinHours(zone, hours, at);
  return {
    isQuiet,
    endOf(at) {
      if (!isQuiet(at)) return at;
      const day = DateTime.fromMillis(at, { zone }).startOf('day');
      const ends = (days: number): number =>
        day
          .plus({ days })
          .set({ hour: Math.floor(to / 60), minute: to % 60 })
          .toMillis();
      return ends(0) > at ? ends(0) : ends(1);
    },
  };
}

/** A time of day as minutes since midnight, "06:30"; `null` where it is none. */
export function minuteOfDay(text: string): number | null {
  const found = /^([01]?\d|2[0-3]):([0-5]\d)$/.exec(text.trim());
  return found ? Number(found[1]) * 60 + Number(found[2]) : null;
}

/** Minutes since midnight as a time of day. */
export const timeOfMinute = (minute: number): string =>
  `${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(minute % 60).padStart(2, '0')}`;
