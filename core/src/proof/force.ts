import { clearLevelOf, isTwoStates, violates, type AlsoCondition, type Confirm, type Severity, type ThresholdRule } from '../alarm';
import { roundHalfAway } from '../quantity';

/** By how much of what its point measures a setpoint is put beyond the present value: enough for the next reading to meet it in spite of noise. */
const MARGIN_OF_RANGE = 0.005;
/** A silence that a test calls too long, s. */
const SILENT_SECONDS = 2;
/** Longer than any test of one lasts, ms. */
const SILENCE_HELD_MS = 86_400_000;

/** What of a point decides how its rule can be made to trip. */
export interface ForcedPoint {
  readonly unit: string;
  readonly decimals: number;
  readonly confirm: Confirm;
  readonly min: number;
  readonly max: number;
  readonly physicalMin: number;
  readonly physicalMax: number;
  readonly reportSeconds: number;
}
type ForcedRule = Pick<ThresholdRule, 'side' | 'setpoint' | 'judges'> & {
  readonly also?: Pick<AlsoCondition, 'join' | 'side' | 'setpoint'> | null;
};

/** What a rule is judged by now; `null`: nothing is known of it that could be judged. */
export interface JudgedNow {
  /** Its value, or what has been made of its readings, in the unit of its setpoint. */
  readonly value: number | null;
  /** What its second condition reads, where it has one. */
  readonly also: { readonly value: number; readonly point: ForcedPoint } | null;
}

/** What stands in the place of a rule's own figures, for a test only; `null`: its own, or it has none. */
export interface ForcedFigures {
  readonly setpoint: number;
  /** The lower end of a band. */
  readonly low: number | null;
  /** The setpoint of its second condition. */
  readonly alsoSetpoint: number | null;
}

/**
 * How a rule is made to trip: a contact or another state is moved by hand; else its setpoint is put just beyond what it is judged by now, for the
 * test only. `no`: it cannot be, in words for a person.
 */
export type Forcing =
  | ({
      readonly how: 'by hand' | 'setpoint';
      /** Does the next reading make it trip? A silence, and what is met already and only waits for its second condition, need none. */
      readonly reads: boolean;
    } & ForcedFigures)
  | { readonly how: 'no'; readonly why: string };

/** The way for this rule as it is judged now. Setpoints are in the decimals of their points. */
export function forcingOf(rule: ForcedRule, point: ForcedPoint, now: JudgedNow): Forcing {
  const { also } = rule;
  const waits = also?.join === 'and' && now.also !== null && !violates(also, now.also.value);
  if (also?.join === 'and' && now.also === null) return no('what its second condition is about has not been read lately');
  const alsoSetpoint = waits && now.also ? beyond(also.side, now.also.value, now.also.point) : null;
  if (alsoSetpoint === undefined) return no('its second condition reads at the end of what it measures: no setpoint lies beyond it');
  const own = ownForcing(rule, point, now.value, waits);
  return own.how === 'no' ? own : { ...own, alsoSetpoint };
}

const no = (why: string): Forcing => ({ how: 'no', why });
const STANDS = 'it reads beyond its setpoint already: what a trip does shows by itself. Test it when it is back to normal';
const AT_THE_END = 'it reads at the end of what it measures: no setpoint lies beyond it';

/** Of its own condition alone; `waits`: that may be met already, and something else is waited for. */
function ownForcing({ side, setpoint, judges }: ForcedRule, point: ForcedPoint, value: number | null, waits: boolean): Forcing {
  const put = (to: number, low: number | null = null, reads = true): Forcing => ({
    ...{ how: 'setpoint', reads, setpoint: to, low, alsoSetpoint: null },
  });
  if (value === null) return no('what it judges is not known yet: it has to be read for as long as it looks back');
  const isBand = judges?.kind === 'band';
  if (violates({ side, setpoint }, value) || (isBand && value <= judges.low))
    return waits ? put(setpoint, null, point.confirm !== 'hold') : no(STANDS);
  switch (judges?.kind) {
    case 'silence':
      return put(Math.min(SILENT_SECONDS, point.reportSeconds / 2), null, false);
    case 'count':
      // A contact says nothing until it is moved: once more than it has come is enough.
      return point.confirm === 'hold' ? byHand(value + 1) : put(value);
    case 'rate':
    case 'difference':
    case 'usual':
      return put(roundHalfAway(side === 'high' ? value - marginOf(point) : value + marginOf(point), point.decimals));
    case 'band': {
      const upper = beyond('high', value, point);
      if (upper !== undefined && upper > judges.low) return put(upper);
      const lower = beyond('low', value, point);
      return lower === undefined || lower >= setpoint ? no('its band is narrower than a setpoint could be moved in') : put(setpoint, lower);
    }
    case 'value':
    case undefined: {
      if (isTwoStates(point.confirm, point)) return byHand(setpoint);
      const to = beyond(side, value, point);
      return to === undefined ? no(AT_THE_END) : put(to);
    }
  }
}

const byHand = (setpoint: number): Forcing => ({ how: 'by hand', reads: true, setpoint, low: null, alsoSetpoint: null });

const marginOf = ({ physicalMin, physicalMax, decimals }: ForcedPoint): number =>
  Math.max(2 * 10 ** -decimals, MARGIN_OF_RANGE * (physicalMax - physicalMin));

/** A setpoint that this value is just beyond; what has two states is met where it is. `undefined`: none can be. */
function beyond(side: 'high' | 'low', value: number, point: ForcedPoint): number | undefined {
  if (isTwoStates(point.confirm, point)) return value;
  const wanted = roundHalfAway(side === 'high' ? value - marginOf(point) : value + marginOf(point), point.decimals);
  const setpoint = Math.min(point.physicalMax, Math.max(point.physicalMin, wanted));
  return violates({ side, setpoint }, value) ? setpoint : undefined;
}

/** How a rule is judged while it is tested: by the figures of the test, at any hour, without its on-delay. */
export function ruleOfTest({ hours: _, ...rule }: ThresholdRule, { setpoint, low, alsoSetpoint }: ForcedFigures): ThresholdRule {
  return {
    ...{ ...rule, setpoint, onDelayMs: 0, clearLevel: clearLevelOf(rule.side, setpoint, rule.deadband) },
    // The next reading would end a silence before what it switched could be read back: the end of the test ends it.
    ...(rule.judges?.kind === 'silence' && { offDelayMs: Math.max(rule.offDelayMs, SILENCE_HELD_MS) }),
    ...(rule.judges?.kind === 'band' && low !== null && { judges: { ...rule.judges, low } }),
    ...(rule.also && alsoSetpoint !== null && { also: { ...rule.also, setpoint: alsoSetpoint } }),
  };
}

/**
 * After how many days a proof is due again. No standard names these for a house: the gravest twice as often as the next, as is common
 * practice where function tests are kept.
 */
export const PROVE_AGAIN_DAYS: Readonly<Record<Severity, number>> = { critical: 90, warning: 180, advisory: 365 };

/** When a rule is due to be proved, ms: from its last passed test, or from when it was armed. */
export const proofDueAt = (severity: Severity, lastPassedAt: number | null): number | null =>
  lastPassedAt === null ? null : lastPassedAt + PROVE_AGAIN_DAYS[severity] * 86_400_000;
