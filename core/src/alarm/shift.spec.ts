import { INITIAL_THRESHOLD_STATE, shiftThreshold, stepRule, stepThreshold, type ThresholdRule, type ThresholdState } from '.';

const RULE: ThresholdRule = {
  side: 'high',
  setpoint: 0.5,
  deadband: 0.4,
  onDelayMs: 600_000,
  offDelayMs: 0,
  maxGapMs: null,
  confirm: 'hold',
};
const opened = (at: number): ThresholdState =>
  stepThreshold(RULE, INITIAL_THRESHOLD_STATE, { kind: 'reading', at, value: 1, quality: 'good' }).state;
const tick = (state: ThresholdState, at: number) => stepThreshold(RULE, state, { kind: 'tick', at });

it.each([3_600_000, -600_000])('a clock set by %s ms trips nothing that was not due, and what is due trips in its time', (byMs) => {
  const t = 10_000_000;
  const halfway = tick(opened(t), t + 300_000).state;
  const moved = shiftThreshold(halfway, byMs);
  // The same instant by the clock as it is now: five of the ten minutes have run.
  expect(tick(moved, t + 301_000 + byMs).transitions).toEqual([]);
  expect(tick(moved, t + 599_000 + byMs).transitions).toEqual([]);
  expect(tick(moved, t + 600_000 + byMs).transitions).toEqual([{ kind: 'trip', at: t + 600_000 + byMs, value: 1 }]);
  // Not shifted, an hour forward would have tripped at once.
  if (byMs > 0) expect(tick(halfway, t + 301_000 + byMs).transitions).toHaveLength(1);
});

it('times that are not known stay unknown', () => {
  expect(shiftThreshold(INITIAL_THRESHOLD_STATE, 5000)).toEqual(INITIAL_THRESHOLD_STATE);
});

it('what a rule remembers of the past moves with the clock: a silence trips in its time, a count goes down in its', () => {
  const silent = { ...RULE, setpoint: 600, deadband: 0, onDelayMs: 0, judges: { kind: 'silence' } as const };
  const t = 10_000_000;
  const heard = stepRule(silent, INITIAL_THRESHOLD_STATE, { kind: 'reading', at: t, value: 1, quality: 'good' }).state;
  const moved = shiftThreshold(heard, 3_600_000);
  expect(stepRule(silent, moved, { kind: 'tick', at: t + 3_600_000 + 599_000 }).transitions).toEqual([]);
  expect(stepRule(silent, moved, { kind: 'tick', at: t + 3_600_000 + 600_000 }).transitions).toHaveLength(1);
  const memory = { own: [1, 2], beside: [3, 4], also: [5, 6], samples: [[7, 8]], times: [9], met: true, shown: 2 } as const;
  expect(shiftThreshold({ ...INITIAL_THRESHOLD_STATE, memory }, 10)).toEqual({
    ...INITIAL_THRESHOLD_STATE,
    memory: { own: [11, 2], beside: [13, 4], also: [15, 6], samples: [[17, 8]], times: [19], met: true, shown: 2 },
  });
});
