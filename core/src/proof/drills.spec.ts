import { drillPassed, stepPassed, type DrillStep } from '.';

const step = (ms: number | null, change: Partial<DrillStep> = {}): DrillStep => ({
  what: 'an alert',
  limitMs: 5000,
  notBeforeMs: 0,
  ms,
  ...change,
});

it('a step passes within its limit and not before its time; what has not happened is open until it is over', () => {
  expect([step(0), step(5000), step(5001)].map((one) => stepPassed(one, true))).toEqual([true, true, false]);
  const delayed = { limitMs: 65_000, notBeforeMs: 59_000 };
  expect([step(2000, delayed), step(60_000, delayed)].map((one) => stepPassed(one, true))).toEqual([false, true]);
  expect([stepPassed(step(null), false), stepPassed(step(null), true)]).toEqual([null, false]);
});

it('a drill passes only with all of its steps, and never without one', () => {
  expect([drillPassed([step(1), step(2)]), drillPassed([step(1), step(null)]), drillPassed([])]).toEqual([true, false, false]);
});
