import { severityRank, type Severity } from './severity';

/** A rule of a point, as far as it is a step of a ladder. */
export interface Step {
  readonly side: 'high' | 'low';
  readonly setpoint: number;
  readonly onDelaySeconds: number;
  readonly severity: Severity;
  /** Is it judged at all times, whatever else stands? */
  readonly always: boolean;
  /** Does somebody have to know? What only switches or is only noticed is no step. */
  readonly alerts: boolean;
}

/**
 * The other rule of the same point that makes a ladder fall with this one, or that this one makes fall: the graver trips no later than the lesser,
 * on a value that is no further out, so that the lesser never says anything of its own. `null`: the ladder rises. A graver rule that waits longer
 * is another matter, and so is one that is judged at some hours only.
 */
export function fallsWith<S extends Step>(step: Step, others: readonly S[]): S | null {
  if (!step.always || !step.alerts) return null;
  return (
    others.find((other) => {
      if (other.side !== step.side || other.severity === step.severity || !other.always || !other.alerts) return false;
      const [lesser, graver] = severityRank(step.severity) < severityRank(other.severity) ? [step, other] : [other, step];
      const isNoFurther = step.side === 'high' ? graver.setpoint <= lesser.setpoint : graver.setpoint >= lesser.setpoint;
      return isNoFurther && graver.onDelaySeconds <= lesser.onDelaySeconds;
    }) ?? null
  );
}
