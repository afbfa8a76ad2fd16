import type { Point, Threshold } from '@dewpost/contract';
import { fallsWith, isTwoStates, type Severity, type Step } from '@dewpost/core/alarm';
import { counted, formatNumber, formatSpan } from '@dewpost/core/quantity';

/** A rule in a few words: its point, and its limit where it has one; what only knows two states has none. */
export function ruleTitle(rule: Threshold, { label, calibratesTo }: Point): string {
  const { side, setpoint, confirm, judges } = rule;
  if (judges.kind !== 'value') return `${label}: ${limitWords(rule, calibratesTo)}`;
  if (isTwoStates(confirm, calibratesTo)) return label;
  return `${label} ${side === 'high' ? '≥' : '≤'} ${formatNumber(setpoint, calibratesTo.decimals)} ${calibratesTo.unit}`.trim();
}

/** The condition of a rule in words, in the scale of its point. */
export function limitWords({ side, setpoint, judges, confirm }: Threshold, scale: Point['calibratesTo']): string {
  const { decimals, unit } = scale;
  const figure = (value: number): string => `${formatNumber(value, decimals)} ${unit}`.trim();
  const beyond = side === 'high' ? 'at or above' : 'at or below';
  switch (judges.kind) {
    case 'value':
      return `${beyond} ${figure(setpoint)}`;
    case 'band':
      return `outside ${formatNumber(judges.low, decimals)} to ${figure(setpoint)}`;
    case 'rate':
      return `${side === 'high' ? 'rises' : 'falls'} ${figure(Math.abs(setpoint))} within ${formatSpan(judges.overSeconds)}`;
    case 'count':
      return `${counted(setpoint, 'time')}${isTwoStates(confirm, scale) ? '' : ` to ${figure(judges.level)}`} within ${formatSpan(judges.withinSeconds)}`;
    case 'silence':
      return `not read for ${formatSpan(setpoint)}`;
    case 'difference':
      return `${beyond} ${figure(setpoint)} against another`;
    case 'usual':
      return `${figure(Math.abs(setpoint))} ${side === 'high' ? 'above' : 'below'} what is usual`;
  }
}

/** Where it clears, in words. */
export function clearWords({ clearLevel, deadband, judges }: Threshold, { decimals, unit }: Point['calibratesTo']): string {
  const figure = (value: number): string => `${formatNumber(value, decimals)} ${unit}`.trim();
  switch (judges.kind) {
    case 'band':
      return `${figure(deadband)} inside`;
    case 'count':
      return counted(clearLevel, 'time');
    case 'silence':
      return 'once read';
    default:
      return figure(clearLevel);
  }
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
  judges: 'what is judged',
  also: 'second condition',
  latching: 'latched',
  then: 'then switches',
  proportional: 'in proportion',
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
