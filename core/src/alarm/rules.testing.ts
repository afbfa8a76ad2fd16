import { engineRule, type Reports, type RuleAsSet, type ThresholdRule } from '.';

/** A second, in ms. */
export const S = 1000;

/** A rule as people set it. */
export const set = (over: Partial<RuleAsSet>): RuleAsSet => ({
  ...{ side: 'high', setpoint: 30, deadband: 0, clearLevel: over.setpoint ?? 30, onDelaySeconds: 0, offDelaySeconds: 0 },
  ...over,
});
/** How a point reports that measures, and one that only tells its changes. */
export const OWN = { confirm: 'readings', reportSeconds: 60 } as const;
export const CONTACT = { confirm: 'hold', reportSeconds: 60 } as const;
/** A rule as the engine judges by it, one way unless told otherwise. */
export const rule = (over: Partial<RuleAsSet>, own: Reports = OWN, other: typeof OWN | typeof CONTACT = OWN): ThresholdRule =>
  engineRule(set(over), own, 'UTC', () => other);
