import type { Point, Threshold } from '@dewpost/contract';
import { fallsWith, isTwoStates, type Severity, type Step } from '@dewpost/core/alarm';
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

/** Why the limits of a point do not rise with this rule among the others, in words; `null`: they do. */
export function ladderWords(
  rule: {
    side: 'high' | 'low' | null;
    setpoint: number;
    onDelaySeconds: number | null;
    severity: Severity | null;
    alerts: boolean;
    hours: Threshold['hours'];
    unless: number | null;
  },
  others: readonly Threshold[],
  number: (value: number) => string,
): string | null {
  const step: Step = {
    ...{
      side: rule.side ?? 'low',
      setpoint: rule.setpoint,
      onDelaySeconds: rule.onDelaySeconds ?? 0,
      severity: rule.severity ?? 'advisory',
    },
    ...{ always: rule.hours === null && rule.unless === null, alerts: rule.alerts },
  };
  const other = fallsWith(
    step,
    others.map((one) => ({ ...one, always: one.hours === null && one.unless === null, alerts: one.consequences.includes('alert') })),
  );
  if (!other) return null;
  return `A ladder rises, and this one falls: with the ${other.severity} alert at ${number(other.setpoint)} the lesser of the two never says anything of its own. Set the graver one further out, or let it wait longer.`;
}
