import { DateTime, IANAZone } from 'luxon';

const at = (ms: number, zone: string): DateTime => DateTime.fromMillis(ms, { zone, locale: 'en-GB' });

/** Time of day in the site's zone: `14:02`, with seconds `14:02:11`. */
export const timeOfDay = (ms: number, zone: string, seconds = false): string => at(ms, zone).toFormat(seconds ? 'HH:mm:ss' : 'HH:mm');

/** Time of day of what is of today in the site's zone, else its day: `14:02`, `24 Nov`. */
export const timeOrDay = (ms: number, now: number, zone: string): string =>
  at(ms, zone).hasSame(at(now, zone), 'day') ? timeOfDay(ms, zone) : at(ms, zone).toFormat('d LLL');

/** The day alone: `Tue 24 Nov`. */
export const day = (ms: number, zone: string): string => at(ms, zone).toFormat('ccc d LLL');

/** Day and time in the site's zone: `Tue 24 Nov 14:02`. */
export const dayAndTime = (ms: number, zone: string): string => at(ms, zone).toFormat('ccc d LLL HH:mm');

/** Day with its year, and time: `24 Nov 2026 14:02`. */
export const wholeDate = (ms: number, zone: string): string => at(ms, zone).toFormat('d LLL yyyy HH:mm');

/** The day with its year: `24 Nov 2026`. */
export const dateOnly = (ms: number, zone: string): string => at(ms, zone).toFormat('d LLL yyyy');

/** Day and time where the day of the week says nothing: `24 Nov 14:02`. */
export const dateAndTime = (ms: number, zone: string): string => at(ms, zone).toFormat('d LLL HH:mm');

const QUARTER_MS = 900_000;
/**
 * By how much a zone's clock is ahead of UTC at a time, ms: the offset of that time, not of today, so that a day of last summer stands
 * where its own clock had it. Zones change at quarters of an hour; each is looked up once.
 */
export function offsetsOf(zone: string): (ms: number) => number {
  const place = IANAZone.create(zone);
  const known = new Map<number, number>();
  return (ms) => {
    const quarter = Math.floor(ms / QUARTER_MS);
    let offset = known.get(quarter);
    if (offset === undefined) {
      offset = place.offset(quarter * QUARTER_MS) * 60_000;
      known.set(quarter, offset);
    }
    return offset;
  };
}
