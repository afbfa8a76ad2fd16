import { HOURS_OF_WEEK, type Habit } from '@dewpost/core/alarm';
import { usualRows } from './usual';

const MONDAY = Date.UTC(2026, 9, 5);
const HOUR = 3_600_000;

it('either end of what is usual is drawn hour by hour, and nothing where nobody knows', () => {
  const habit: Habit = {
    ...{ zone: 'UTC', weeks: 4 },
    low: Array.from({ length: HOURS_OF_WEEK }, (_, hour) => (hour === 2 ? null : hour)),
    high: Array.from({ length: HOURS_OF_WEEK }, (_, hour) => (hour === 2 ? null : hour + 10)),
  };
  expect(usualRows(habit, 'high', MONDAY + 1, MONDAY + 3.5 * HOUR)).toEqual([
    [MONDAY + HOUR, 11, 0],
    [MONDAY + 3 * HOUR, 13, 0],
  ]);
  expect(usualRows(habit, 'low', MONDAY, MONDAY)).toEqual([[MONDAY, 0, 0]]);
});
