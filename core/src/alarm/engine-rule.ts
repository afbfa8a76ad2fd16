import type { Habit } from './habit';
import type { RuleHours } from './rule-hours';
import { runsByTime } from './step-rule';
import type { AlsoCondition, Confirm, Judged, ThresholdRule } from './threshold';

/** How long a point may be quiet before what it said last is stale: three report intervals, ms. */
export const freshForMs = (reportSeconds: number): number => 3 * reportSeconds * 1000;

/** How a point reports: what decides for how long what it said last stands. */
export interface Reports {
  readonly confirm: Confirm;
  readonly reportSeconds: number;
  /** What is usual there, where somebody has learnt it. */
  readonly habit?: Habit | null;
}
/** What is told only when it changes holds for as long as nothing else is told. */
const gapMs = ({ confirm, reportSeconds }: Reports): number | null => (confirm === 'hold' ? null : freshForMs(reportSeconds));

/** A rule's second condition as people set it. */
export type SecondCondition = Omit<AlsoCondition, 'maxGapMs'> & { readonly point: number };

/** A rule as people set it. */
export type RuleAsSet = Pick<ThresholdRule, 'side' | 'setpoint' | 'deadband'> & {
  readonly clearLevel: number;
  readonly onDelaySeconds: number;
  readonly offDelaySeconds: number;
  readonly hours?: Omit<RuleHours, 'zone'> | null;
  readonly judges?: Judged;
  readonly also?: SecondCondition | null;
};

/** Other points than its own that a rule needs. */
export const othersOf = ({ judges, also }: Pick<RuleAsSet, 'judges' | 'also'>): { beside: number | null; also: number | null } => ({
  beside: judges?.kind === 'difference' ? judges.point : null,
  also: also?.point ?? null,
});

/**
 * A rule as people set it, as the engine judges by it: here so that the server's judgement and a rehearsal of it cannot differ. `reports`
 * says how any of its other points reports; `undefined`: there is none such any more, and what it said never was.
 */
export function engineRule(
  rule: RuleAsSet,
  own: Reports,
  zone: string,
  reports: (point: number) => Reports | undefined = () => undefined,
): ThresholdRule {
  const { beside, also } = othersOf(rule);
  // Of what is gone nothing is ever fresh.
  const gapOf = (point: number): number | null => {
    const other = reports(point);
    return other ? gapMs(other) : -1;
  };
  // What comes about by time alone stands until a reading says otherwise.
  const byTime = runsByTime(rule);
  return {
    side: rule.side,
    setpoint: rule.setpoint,
    deadband: rule.deadband,
    clearLevel: rule.clearLevel,
    onDelayMs: rule.onDelaySeconds * 1000,
    offDelayMs: rule.offDelaySeconds * 1000,
    maxGapMs: byTime ? null : gapMs(own),
    confirm: byTime ? 'hold' : own.confirm,
    ...(rule.hours && { hours: { ...rule.hours, zone } }),
    ...(rule.judges && rule.judges.kind !== 'value' && { judges: rule.judges }),
    ...(rule.judges?.kind === 'usual' && own.habit && { habit: own.habit }),
    ...(beside !== null && { besideGapMs: gapOf(beside) }),
    ...(rule.also &&
      also !== null && {
        also: { join: rule.also.join, side: rule.also.side, setpoint: rule.also.setpoint, maxGapMs: gapOf(also) },
      }),
  };
}
