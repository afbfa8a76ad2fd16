import { DateTime } from 'luxon';
import { departureOf, hourOfWeekIn, HOURS_OF_WEEK, knowsAnything, learnHabit, rehearse, columnsOf, engineRule, usualAt } from '.';

const HOUR = 3_600_000;
const QUARTER = HOUR / 4;
const WEEK = 168 * HOUR;
const MONDAY = Date.UTC(2026, 9, 5);
/** A course by hour of the week, a quarter of an hour at a time. */
const weeks = (n: number, of: (hour: number, week: number, quarter: number) => number, from = MONDAY) =>
  Array.from({ length: n * 168 * 4 }, (_, i) => {
    const at = from + i * QUARTER;
    return { at, mean: of(Math.floor((i * QUARTER) / HOUR) % 168, Math.floor((i * QUARTER) / WEEK), i % 4) };
  });

describe('the hour of the week', () => {
  it('is that of the site: Monday 00:00 is the first, and both changes of the clock are gone along with', () => {
    const hour = hourOfWeekIn('Europe/London');
    const at = (text: string): number => DateTime.fromISO(text).toMillis();
    expect([hour(at('2026-10-05T00:00:00+01:00')), hour(at('2026-10-11T23:59:00+01:00'))]).toEqual([0, 167]);
    // 25 October 2026: 01:30 comes twice. 29 March 2026: from 00:59 the clock goes on to 02:00.
    expect([hour(at('2026-10-25T01:30:00+01:00')), hour(at('2026-10-25T01:30:00+00:00')), hour(at('2026-10-25T02:00:00+00:00'))]).toEqual([
      145, 145, 146,
    ]);
    expect([hour(at('2026-03-29T00:59:00+00:00')), hour(at('2026-03-29T02:00:00+01:00'))]).toEqual([144, 146]);
    // A zone that lies three quarters of an hour beside.
    expect(hourOfWeekIn('Asia/Kathmandu')(Date.UTC(2026, 9, 4, 18, 15))).toBe(0);
  });
});

describe('what is usual', () => {
  it('is learnt by the hour of the week: between five and 95 in a hundred quarters of that hour and its neighbours', () => {
    // Each hour reads its own number, and its quarters 0 to 0.3 above it.
    const habit = learnHabit(
      weeks(4, (hour, _week, quarter) => hour + quarter / 10),
      'UTC',
    );
    expect([habit.weeks, knowsAnything(habit)]).toEqual([4, true]);
    const usual = usualAt(habit, MONDAY + 10 * HOUR)!;
    // 48 values from 9 to 11.3, four of each: by hand, definition 7 of Hyndman and Fan, places 2.35 and 44.65.
    expect(usual.low).toBeCloseTo(9, 10);
    expect(usual.high).toBeCloseTo(11.3, 10);
    expect(usualAt(habit, MONDAY + 9 * WEEK + 10.9 * HOUR)).toEqual(usual);
  });
  it('keeps apart what a week has apart: warm by day, cool by night, another Sunday', () => {
    const course = (hour: number): number => (hour >= 144 ? 5 : hour % 24 >= 8 && hour % 24 < 18 ? 20 : 12);
    const habit = learnHabit(weeks(6, course), 'UTC');
    expect(usualAt(habit, MONDAY + 12 * HOUR)).toEqual({ low: 20, high: 20 });
    expect(usualAt(habit, MONDAY + 3 * HOUR)).toEqual({ low: 12, high: 12 });
    expect(usualAt(habit, MONDAY + 156 * HOUR)).toEqual({ low: 5, high: 5 });
    expect(departureOf(habit, MONDAY + 3 * HOUR, 20)).toBe(8);
    expect(departureOf(habit, MONDAY + 12 * HOUR, 19.7)).toBe(-0.3);
    expect(departureOf(habit, MONDAY + 12 * HOUR, 20)).toBe(0);
  });
  it('is not said of an hour that was read in fewer than three weeks; of nothing it knows nothing', () => {
    const few = learnHabit(
      weeks(2, () => 1),
      'UTC',
    );
    expect([few.weeks, knowsAnything(few), usualAt(few, MONDAY), departureOf(few, MONDAY, 99)]).toEqual([2, false, null, null]);
    const gaps = learnHabit(
      weeks(6, (hour, week) => (hour === 7 && week < 4 ? NaN : 1)),
      'UTC',
    );
    expect([usualAt(gaps, MONDAY + 7 * HOUR), usualAt(gaps, MONDAY + 8 * HOUR)]).toEqual([null, { low: 1, high: 1 }]);
    expect(learnHabit([], 'UTC').low).toEqual(Array(HOURS_OF_WEEK).fill(null));
  });
  it('a week that is longer by an hour is one week still', () => {
    const at = DateTime.fromISO('2026-10-19T00:00', { zone: 'Europe/London' }).toMillis();
    const habit = learnHabit(
      weeks(3, () => 1, at),
      'Europe/London',
    );
    expect(habit.weeks).toBe(3);
    const three = learnHabit(
      [0, 1, 2].map((week) => ({
        at: DateTime.fromMillis(at, { zone: 'Europe/London' }).plus({ weeks: week, hours: 5 }).toMillis(),
        mean: 1,
      })),
      'Europe/London',
    );
    expect([three.weeks, three.low[5]]).toEqual([3, 1]);
  });
});

describe('a rule on what is usual', () => {
  const habit = learnHabit(
    weeks(4, (hour) => (hour % 24 < 12 ? 10 : 20)),
    'UTC',
  );
  const set = {
    side: 'high',
    setpoint: 2,
    deadband: 1,
    clearLevel: 1,
    onDelaySeconds: 0,
    offDelaySeconds: 0,
    judges: { kind: 'usual' },
  } as const;
  const from = MONDAY + 8 * WEEK;
  const record = columnsOf(
    [
      [3, 15],
      [3.1, 11],
      [15, 15],
      [15.1, 22],
      [15.2, 21],
    ].map(([hour = 0, value = 0]) => ({ at: from + hour * HOUR, value, quality: 'good' as const })),
  );
  it('trips by the hour: the same value by night and not by day; without a habit never', () => {
    const reports = { confirm: 'readings', reportSeconds: 60 } as const;
    const rule = engineRule(set, { ...reports, habit }, 'UTC');
    expect(rehearse(rule, record, from + 24 * HOUR).map(({ from: trip, to }) => [trip - from, to === null ? null : to - from])).toEqual([
      [3 * HOUR, 3.1 * HOUR],
      [15.1 * HOUR, 15.2 * HOUR],
    ]);
    expect(rehearse(engineRule(set, reports, 'UTC'), record, from + 24 * HOUR)).toEqual([]);
    const low = engineRule({ ...set, side: 'low', setpoint: -2, clearLevel: -1 }, { ...reports, habit }, 'UTC');
    expect(rehearse(low, record, from + 24 * HOUR).map(({ from: trip }) => trip - from)).toEqual([15 * HOUR]);
  });
});
