import type { Node, Point, Threshold } from '@dewpost/contract';
import type { ThresholdRule } from '@dewpost/core/alarm';

/** A rule as the live engine judges by it: a reading is stale after three report intervals; what is told only when it changes holds. */
export function judgedBy(
  rule: Pick<Threshold, 'side' | 'setpoint' | 'deadband' | 'onDelaySeconds' | 'offDelaySeconds'>,
  clearLevel: number,
  point: Point | null,
  node: Node | undefined,
): ThresholdRule {
  const confirm = point?.confirm ?? 'readings';
  return {
    side: rule.side,
    setpoint: rule.setpoint,
    deadband: rule.deadband,
    clearLevel,
    onDelayMs: rule.onDelaySeconds * 1000,
    offDelayMs: rule.offDelaySeconds * 1000,
    maxGapMs: confirm === 'hold' ? null : 3000 * (node?.reportSeconds ?? 30),
    confirm,
  };
}
