import { freshForMs, INITIAL_THRESHOLD_STATE, stepThreshold, type ThresholdRule, type ThresholdState } from '../alarm';
import type { OwnThreshold } from '../wire';

/** Where each of a node's own thresholds stands, by number. */
export type OwnStates = ReadonlyMap<number, ThresholdState>;

const ruleOf = (own: OwnThreshold, reportSeconds: number): ThresholdRule => ({
  side: own.side,
  setpoint: own.setpoint,
  deadband: Math.abs(own.setpoint - own.clearLevel),
  clearLevel: own.clearLevel,
  onDelayMs: own.onDelaySeconds * 1000,
  offDelayMs: own.offDelaySeconds * 1000,
  // What is told only when it changes holds for as long as nothing else is told.
  maxGapMs: own.confirm === 'hold' ? null : freshForMs(reportSeconds),
  confirm: own.confirm,
});

/**
 * One reading of a node against its own thresholds (sensor and output on the same node). They are followed all the time, so that
 * one knows where it stands when the link goes; `at` in ms, values in the point's unit. A value that the sensor cannot measure is
 * bad, and moves nothing.
 */
export function stepOwn(
  thresholds: readonly OwnThreshold[],
  states: OwnStates,
  reading: { readonly point: string; readonly at: number; readonly value: number },
  reportSeconds: number,
): OwnStates {
  const next = new Map<number, ThresholdState>();
  for (const own of thresholds) {
    const state = states.get(own.id) ?? INITIAL_THRESHOLD_STATE;
    const quality = reading.value >= own.measures[0] && reading.value <= own.measures[1] ? 'good' : 'bad';
    const { at, value } = reading;
    const concerns = own.point === reading.point;
    next.set(own.id, concerns ? stepThreshold(ruleOf(own, reportSeconds), state, { kind: 'reading', at, value, quality }).state : state);
  }
  return next;
}

/**
 * Does a node that is cut off ask for this output by itself: is one of its own thresholds tripped, on a good reading younger than
 * three intervals? `null`: none of them switches this output, and nothing is to be done about it.
 */
export function demandedAlone(
  thresholds: readonly OwnThreshold[],
  states: OwnStates,
  output: string,
  now: number,
  reportSeconds: number,
): boolean | null {
  const own = thresholds.filter((one) => one.output === output);
  if (own.length === 0) return null;
  return own.some(({ id }) => {
    const state = states.get(id);
    const tripped = state?.phase === 'active' || state?.phase === 'pending-off';
    return tripped && state.lastAt !== null && now - state.lastAt <= 3 * reportSeconds * 1000;
  });
}
