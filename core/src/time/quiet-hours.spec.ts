import { DateTime } from 'luxon';
import { minuteOfDay, quietHours, timeOfMinute } from '.';

const ZONE = 'Europe/Berlin';
const at = (text: string): number => DateTime.fromISO(text, { zone: ZONE }).toMillis();

describe('quiet hours', () => {
  const night = quietHours(ZONE, { from: 22 * 60, to: 6 * 60 + 30 });
  it('run over midnight: begin counts, end does not', () => {
    expect(['21:59', '22:00', '03:10', '06:29', '06:30'].map((time) => night.isQuiet(at(`2026-11-27T${time}`)))).toEqual([
      false,
      true,
      true,
      true,
      false,
    ]);
    expect(night.endOf(at('2026-11-27T23:00'))).toBe(at('2026-11-28T06:30'));
    expect(night.endOf(at('2026-11-28T03:10'))).toBe(at('2026-11-28T06:30'));
    expect(night.endOf(at('2026-11-28T12:00'))).toBe(at('2026-11-28T12:00'));
  });
  it('in the night of a clock change they end by the clock on the wall: an hour more in October, one less in March', () => {
    expect(night.endOf(at('2026-10-24T23:00')) - at('2026-10-24T23:00')).toBe(8.5 * 3_600_000);
    expect(night.endOf(at('2026-03-28T23:00')) - at('2026-03-28T23:00')).toBe(6.5 * 3_600_000);
    // The hour that is there twice is quiet twice.
    const short = quietHours(ZONE, { from: 2 * 60, to: 3 * 60 });
    const twice = at('2026-10-25T02:30');
    expect([twice - 3_600_000, twice, twice + 3_600_000].map((time) => short.isQuiet(time))).toEqual([true, true, false]);
  });
  it('never, where there are none or they begin when they end', () => {
    for (const hours of [null, { from: 60, to: 60 }]) {
      const never = quietHours(ZONE, hours);
      expect([never.isQuiet(at('2026-11-27T01:00')), never.endOf(5)]).toEqual([false, 5]);
    }
  });
  it('times of day as they are written', () => {
    expect(['06:30', '6:05', '24:00', '12:60', 'noon'].map(minuteOfDay)).toEqual([390, 365, null, null, null]);
    expect([timeOfMinute(0), timeOfMinute(1439)]).toEqual(['00:00', '23:59']);
  });
});
