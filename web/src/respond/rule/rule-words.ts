import type { Point, Threshold } from '@dewpost/contract';
import { isTwoStates } from '@dewpost/core/alarm';
import { formatNumber } from '@dewpost/core/quantity';

/** A rule in a few words: its point, and its limit where it has one; what only knows two states has none. */
export function ruleTitle({ side, setpoint, confirm }: Threshold, { label, calibratesTo }: Point): string {
  if (isTwoStates(confirm, calibratesTo)) return label;
  return `${label} ${side === 'high' ? '≥' : '≤'} ${formatNumber(setpoint, calibratesTo.decimals)} ${calibratesTo.unit}`.trim();
}

/** What each field of a rule is called, where two versions stand beside each other. */
export const RULE_LABELS = {
  side: 'trips when high or low',
  setpoint: 'setpoint',
  deadband: 'deadband',
  onDelaySeconds: 'on-delay, s',
  offDelaySeconds: 'off-delay, s',
  severity: 'severity',
  output: 'switches',
  consequences: 'what follows',
  act: 'switches on or off',
  hours: 'when it is judged',
  unless: 'not while rule',
} as const;
