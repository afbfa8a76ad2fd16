import fc from 'fast-check';
import { DateTime } from 'luxon';
import { lineFault, nextRun, runUnderWay, secondsADay, type TimetableLine } from '.';

const ZONE = 'Europe/Berlin';
const at = (text: string): number => DateTime.fromISO(text, { zone: ZONE }).toMillis();
const EVERY_DAY = [1, 2, 3, 4, 5, 6, 7];
const line = (change: Partial<TimetableLine> = {}): TimetableLine => ({
  ...{ weekdays: EVERY_DAY, minute: 6 * 60, seconds: 600, again: null },
  ...change,
});
const startsIn = (lines: readonly TimetableLine[], from: number, to: number): number[] => {
  const starts: number[] = [];
  for (let now = from - 1; ;) {
    const run = nextRun(lines, ZONE, now);
    if (!run || run.at >= to) return starts;
    starts.push(run.at);
    now = run.at;
  }
};

describe('a timetable', () => {
  it('runs on its days alone, from its start up to its end and no longer', () => {
    const weekdays = line({ weekdays: [1, 2, 3, 4, 5] });
    // 27 November 2026 is a Friday.
    expect(runUnderWay([weekdays], ZONE, at('2026-11-27T06:00'))).toEqual({ at: at('2026-11-27T06:00'), endsAt: at('2026-11-27T06:10') });
    expect(runUnderWay([weekdays], ZONE, at('2026-11-27T06:10'))).toBeNull();
    expect(runUnderWay([weekdays], ZONE, at('2026-11-28T06:05'))).toBeNull();
    expect(nextRun([weekdays], ZONE, at('2026-11-27T06:00'))?.at).toBe(at('2026-11-30T06:00'));
    expect(nextRun([line({ weekdays: [] })], ZONE, at('2026-11-27T06:00'))).toBeNull();
  });

  it('over midnight: a run of last night goes on this morning', () => {
    const late = line({ minute: 23 * 60 + 50, seconds: 3600, weekdays: [5] });
    expect(runUnderWay([late], ZONE, at('2026-11-28T00:30'))?.at).toBe(at('2026-11-27T23:50'));
    expect(runUnderWay([late], ZONE, at('2026-11-28T00:50'))).toBeNull();
  });

  it('again every so many minutes, up to the last time and not at it', () => {
    const misting = line({ minute: 9 * 60, seconds: 30, again: { everyMinutes: 20, untilMinute: 10 * 60 } });
    expect(startsIn([misting], at('2026-11-27T00:00'), at('2026-11-28T00:00'))).toEqual(
      ['09:00', '09:20', '09:40'].map((time) => at(`2026-11-27T${time}`)),
    );
    expect(secondsADay(misting)).toBe(90);
  });

  // RFC 5545, section 3.3.5: a local time that does not occur is read by the offset before the gap; one that occurs twice is the first.
  it('a start that the clock leaves out in March happens an hour later by the wall, once', () => {
    const early = line({ minute: 2 * 60 + 30 });
    expect(startsIn([early], at('2026-03-29T00:00'), at('2026-03-30T00:00'))).toEqual([at('2026-03-29T03:30')]);
    expect(at('2026-03-29T03:30') - at('2026-03-29T00:00')).toBe(2.5 * 3_600_000);
  });
  it('a start that the clock shows twice in October happens the first time, once', () => {
    const early = line({ minute: 2 * 60 + 30 });
    const first = at('2026-10-25T00:00') + 2.5 * 3_600_000;
    expect(startsIn([early], at('2026-10-25T00:00'), at('2026-10-26T00:00'))).toEqual([first]);
    expect(runUnderWay([early], ZONE, first + 3_600_000)).toBeNull();
  });
  it('a run that lies over a change of the clock lasts as long as any other', () => {
    const night = line({ minute: 60, seconds: 3 * 3600 });
    expect(runUnderWay([night], ZONE, at('2026-03-29T03:30'))?.endsAt).toBe(at('2026-03-29T01:00') + 3 * 3_600_000);
  });

  it('has each start once a day of its own, whatever day of the year and however it is asked', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 364 }), fc.integer({ min: 0, max: 1439 }), (days, minute) => {
        const day = DateTime.fromISO('2026-01-01', { zone: ZONE }).plus({ days });
        const [only, ...more] = startsIn([line({ minute })], day.toMillis(), day.plus({ days: 1 }).toMillis());
        expect([typeof only, more]).toEqual(['number', []]);
        expect(runUnderWay([line({ minute })], ZONE, only ?? 0)?.at).toBe(only);
        expect(runUnderWay([line({ minute, seconds: 60 })], ZONE, (only ?? 0) - 1)).toBeNull();
      }),
    );
  });

  it('that could never be right is refused with its reason', () => {
    expect(lineFault(line(), 600)).toBeNull();
    expect(lineFault(line(), 599)).toMatch(/at most 9 min 59 s at a time/);
    expect(lineFault(line({ weekdays: [] }), null)).toMatch(/day of the week/);
    const again = { everyMinutes: 10, untilMinute: 12 * 60 };
    expect(lineFault(line({ again }), null)).toMatch(/leave a pause/);
    expect(lineFault(line({ seconds: 599, again }), null)).toBeNull();
    expect(lineFault(line({ again: { ...again, untilMinute: 6 * 60 } }), null)).toMatch(/later on the same day/);
  });
});
