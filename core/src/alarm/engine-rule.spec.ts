import { engineRule, freshForMs, SEVERITIES, severityRank } from '.';

const RULE = { side: 'high' as const, setpoint: 30, deadband: 1, clearLevel: 29, onDelaySeconds: 60, offDelaySeconds: 90 };

it('a rule as the engine judges by it: delays in ms, stale after three reports, and what holds is never stale', () => {
  expect(engineRule(RULE, { confirm: 'readings', reportSeconds: 20 }, 'UTC')).toEqual({
    side: 'high',
    setpoint: 30,
    deadband: 1,
    clearLevel: 29,
    onDelayMs: 60_000,
    offDelayMs: 90_000,
    maxGapMs: 60_000,
    confirm: 'readings',
  });
  expect(engineRule(RULE, { confirm: 'hold', reportSeconds: 20 }, 'UTC').maxGapMs).toBeNull();
  expect(freshForMs(20)).toBe(60_000);
});

it('severities rise', () => {
  expect(SEVERITIES.map(severityRank)).toEqual([1, 2, 3]);
  expect(severityRank('critical')).toBeGreaterThan(severityRank('warning'));
});
