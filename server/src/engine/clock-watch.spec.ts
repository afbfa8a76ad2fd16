import { ClockWatch } from './clock-watch';

it('a clock that was set is noticed in both directions; one that is only kept in time is not', () => {
  const watch = new ClockWatch();
  expect(watch.look(1_000_000, 0)).toEqual({ stepMs: 0, gapMs: 0 });
  expect(watch.look(1_001_000, 1000)).toEqual({ stepMs: 0, gapMs: 1000 });
  // Slewed by half a second in a second, far more than any time keeper does.
  expect(watch.look(1_002_500, 2000).stepMs).toBe(0);
  expect(watch.look(4_603_500, 3000)).toEqual({ stepMs: 3_600_000, gapMs: 1000 });
  expect(watch.look(4_004_500, 4000)).toEqual({ stepMs: -600_000, gapMs: 1000 });
  // A process that was stopped was not deceived: both clocks went on.
  expect(watch.look(4_064_500, 64_000)).toEqual({ stepMs: 0, gapMs: 60_000 });
});
