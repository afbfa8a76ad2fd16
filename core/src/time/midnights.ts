import { DateTime } from 'luxon';

const HOUR_MS = 3_600_000;

/** The begin of the day of a site that a time lies in, ms; looked up once an hour of the record. */
export function midnightsOf(zone: string): (at: number) => number {
  const known = new Map<number, number>();
  return (at) => {
    const hour = Math.floor(at / HOUR_MS);
    let midnight = known.get(hour);
    // Days begin at quarters of an hour in some zones: the hour that one begins in has two answers.
    if (midnight === undefined || midnight > hour * HOUR_MS) {
      midnight = DateTime.fromMillis(at, { zone }).startOf('day').toMillis();
      if (
        midnight <= hour * HOUR_MS &&
        DateTime.fromMillis((hour + 1) * HOUR_MS - 1, { zone })
          .startOf('day')
          .toMillis() === midnight
      )
        known.set(hour, midnight);
    }
    return midnight;
  };
}
