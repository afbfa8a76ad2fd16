import { isTwoStates, violates, type Confirm, type Severity, type ThresholdRule } from '../alarm';
import { roundHalfAway } from '../quantity';

/** By how much of what its point measures a setpoint is put beyond the present value: enough for the next reading to meet it in spite of noise. */
const MARGIN_OF_RANGE = 0.005;

/** What of a point decides how its rule can be made to trip. */
export interface ForcedPoint {
  readonly unit: string;
  readonly decimals: number;
  readonly confirm: Confirm;
  readonly min: number;
  readonly max: number;
  readonly physicalMin: number;
  readonly physicalMax: number;
}

/**
 * How a rule is made to trip: a contact or another state is moved by hand; of a figure the setpoint is put just beyond the present value,
 * for the test only. `no`: it cannot be, in words for a person.
 */
export type Forcing =
  { readonly how: 'by hand' } | { readonly how: 'setpoint'; readonly setpoint: number } | { readonly how: 'no'; readonly why: string };

/** The way for this rule while its point reads `value` (unit of the point). The setpoint is in the decimals of the point. */
export function forcingOf(rule: Pick<ThresholdRule, 'side' | 'setpoint'>, point: ForcedPoint, value: number): Forcing {
  if (violates(rule, value))
    return { how: 'no', why: 'it reads beyond its setpoint already: what a trip does shows by itself. Test it when it is back to normal' };
  if (isTwoStates(point.confirm, point)) return { how: 'by hand' };
  const { physicalMin, physicalMax, decimals } = point;
  const margin = Math.max(2 * 10 ** -decimals, MARGIN_OF_RANGE * (physicalMax - physicalMin));
  const wanted = roundHalfAway(rule.side === 'high' ? value - margin : value + margin, decimals);
  const setpoint = Math.min(physicalMax, Math.max(physicalMin, wanted));
  if (!violates({ side: rule.side, setpoint }, value))
    return { how: 'no', why: 'it reads at the end of what it measures: no setpoint lies beyond it' };
  return { how: 'setpoint', setpoint };
}

/**
 * After how many days a proof is due again. No standard names these for a house: the gravest twice as often as the next, as is common
 * practice where function tests are kept.
 */
export const PROVE_AGAIN_DAYS: Readonly<Record<Severity, number>> = { critical: 90, warning: 180, advisory: 365 };

/** When a rule is due to be proved, ms: from its last passed test, or from when it was armed. */
export const proofDueAt = (severity: Severity, lastPassedAt: number | null): number | null =>
  lastPassedAt === null ? null : lastPassedAt + PROVE_AGAIN_DAYS[severity] * 86_400_000;
