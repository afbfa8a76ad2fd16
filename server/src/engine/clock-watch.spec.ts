import { ClockWatch } from './clock-watch';

it('a clock that was set is noticed in both directions; one that is only kept in time is not', () => {
  let now = { wall: 1_000_000, steady: 0 };
  const watch = new ClockWatch({ wall: () => now.wall, steady: () => now.steady });
  const at = (wall: number, steady: number): number => {
    now = { wall, steady };
    return watch.step();
  };
  expect(watch.step()).toBe(0);
  expect(at(1_001_000, 1000)).toBe(0);
  // Slewed by half a second in a second, far more than any time keeper does.
  expect(at(1_002_500, 2000)).toBe(0);
  expect(at(4_603_500, 3000)).toBe(3_600_000);
  expect(at(4_004_500, 4000)).toBe(-600_000);
  // A process that was stopped was not deceived: both clocks went on.
  expect(at(4_064_500, 64_000)).toBe(0);
});
