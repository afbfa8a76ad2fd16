import type { RuleHours } from './rule-hours';
import type { Confirm, ThresholdRule } from './threshold';

/** How long a point may be quiet before what it said last is stale: three report intervals, ms. */
export const freshForMs = (reportSeconds: number): number => 3 * reportSeconds * 1000;

/** A rule as people set it, as the engine judges by it: here so that the server's judgement and a rehearsal of it cannot differ. */
export function engineRule(
  rule: Pick<ThresholdRule, 'side' | 'setpoint' | 'deadband'> & {
    readonly clearLevel: number;
    readonly onDelaySeconds: number;
    readonly offDelaySeconds: number;
    readonly hours?: Omit<RuleHours, 'zone'> | null;
  },
  confirm: Confirm,
  reportSeconds: number,
  zone: string,
): ThresholdRule {
  return {
    side: rule.side,
    setpoint: rule.setpoint,
    deadband: rule.deadband,
    clearLevel: rule.clearLevel,
    onDelayMs: rule.onDelaySeconds * 1000,
    offDelayMs: rule.offDelaySeconds * 1000,
    // What is told only when it changes holds for as long as nothing else is told.
    maxGapMs: confirm === 'hold' ? null : freshForMs(reportSeconds),
    confirm,
    ...(rule.hours && { hours: { ...rule.hours, zone } }),
  };
}
