import type { Point, Threshold } from '@dewpost/contract';
import { isTwoStates } from '@dewpost/core/alarm';
import { formatNumber } from '@dewpost/core/quantity';

/** A rule in a few words: its point, and its limit where it has one; what only knows two states has none. */
export function ruleTitle({ side, setpoint, confirm }: Threshold, { label, calibratesTo }: Point): string {
  if (isTwoStates(confirm, calibratesTo)) return label;
  return `${label} ${side === 'high' ? '≥' : '≤'} ${formatNumber(setpoint, calibratesTo.decimals)} ${calibratesTo.unit}`.trim();
}
