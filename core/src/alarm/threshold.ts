import type { Habit } from './habit';
import { isWithin, type RuleHours } from './rule-hours';

/**
 * One threshold as a pure state machine. Time comes from the events, never from a clock; all times are milliseconds
 * since 1970 (any common origin will do), values are in the point's unit. Terms as in ANSI/ISA-18.2.
 */

export type Quality = 'good' | 'suspect' | 'bad';

/** How a delay is finished: by the first accepted reading past it, or by time alone while the last value holds. */
export type Confirm = 'readings' | 'hold';

/**
 * What of a point a rule judges: its value, or what is made from its readings. Whatever it is, it is a number that goes through the same
 * state machine, with the rule's setpoint, deadband and delays. Times in ms since 1970.
 */
export type Judged =
  | { readonly kind: 'value' }
  /** Outside of a band: the setpoint is its upper end, `low` its lower one, in the point's unit. */
  | { readonly kind: 'band'; readonly low: number }
  /** How much it has changed within so long, in the point's unit: the setpoint of a fall is negative. */
  | { readonly kind: 'rate'; readonly overSeconds: number }
  /** How often it came to `level` from below within so long; the setpoint is a count. */
  | { readonly kind: 'count'; readonly level: number; readonly withinSeconds: number }
  /** For how long nothing good was read; the setpoint is in s. */
  | { readonly kind: 'silence' }
  /** What it reads above another point (below: negative), in the point's unit. */
  | { readonly kind: 'difference'; readonly point: number }
  /** How far it departs from what is usual at this hour of the week (below: negative), in the point's unit. */
  | { readonly kind: 'usual' };

/** A second condition, on another point: both must be met, or either. */
export interface AlsoCondition {
  readonly join: 'and' | 'or';
  readonly side: 'high' | 'low';
  readonly setpoint: number;
  /** Longest silence of its point that what it said last survives, ms; `null`: any. */
  readonly maxGapMs: number | null;
}

export interface ThresholdRule {
  /** `high` trips at or above the setpoint, `low` at or below it. */
  readonly side: 'high' | 'low';
  readonly setpoint: number;
  /** Distance from the setpoint needed to clear, in the point's unit, not negative. */
  readonly deadband: number;
  /** The clear level itself; without it setpoint ∓ deadband in binary arithmetic (0.3 − 0.1 is not 0.2). */
  readonly clearLevel?: number;
  readonly onDelayMs: number;
  readonly offDelayMs: number;
  /** Longest silence that a running delay survives; `null`: any (contacts that report only changes). */
  readonly maxGapMs: number | null;
  readonly confirm: Confirm;
  /** How far a measurement may lie ahead of its arrival before it is rejected. Default 5 s. */
  readonly skewMs?: number;
  /** When it is judged at all; left out: always. */
  readonly hours?: RuleHours;
  /** What is judged, where it is not the value itself; judged so by `stepRule` only. */
  readonly judges?: Judged;
  /** What is usual, where that is judged; without it nothing is. */
  readonly habit?: Habit;
  /** Longest silence that what the other point of a difference said last survives, ms; `null`: any. */
  readonly besideGapMs?: number | null;
  readonly also?: AlsoCondition;
}

export type Phase = 'normal' | 'pending-on' | 'active' | 'pending-off';

export interface ThresholdState {
  readonly phase: Phase;
  /** Start of the running delay; `null` when none runs. */
  readonly since: number | null;
  /** Time and value of the last accepted reading. */
  readonly lastAt: number | null;
  readonly lastValue: number | null;
  /** Latest tick seen (`hold` only): readings at or before it that arrive later are history. */
  readonly watermark: number | null;
  /** It was not judged when it was looked at last: out of its hours, or suppressed. */
  readonly asleep?: true;
}

export type ThresholdEvent =
  | { readonly kind: 'reading'; readonly at: number; readonly value: number; readonly quality: Quality; readonly arrivedAt?: number }
  | { readonly kind: 'tick'; readonly at: number };

export type Rejection = 'bad' | 'future' | 'out-of-order';

export interface Transition {
  readonly kind: 'trip' | 'clear';
  /** Measurement time of the transition. */
  readonly at: number;
  readonly value: number;
  /** Of a clear that no reading brought: its hours are over, or something suppresses it. */
  readonly why?: 'hours' | 'suppressed';
}

export interface ThresholdStep {
  readonly state: ThresholdState;
  readonly transitions: readonly Transition[];
  /** Why the reading was not used; the state is then unchanged. */
  readonly rejected?: Rejection;
}

export const INITIAL_THRESHOLD_STATE: ThresholdState = {
  phase: 'normal',
  since: null,
  lastAt: null,
  lastValue: null,
  watermark: null,
};

const DEFAULT_SKEW_MS = 5000;

/**
 * The clear level that a person means by setpoint and deadband: computed in decimal, so that 0.3 less 0.1 is 0.2.
 * Store it with the rule.
 */
export function clearLevelOf(side: 'high' | 'low', setpoint: number, deadband: number): number {
  return Number((side === 'high' ? setpoint - deadband : setpoint + deadband).toPrecision(12));
}

/** What only knows two states, and is told when it changes, is not "too high": it is open, or it is not. */
export const isTwoStates = (
  confirm: Confirm,
  { unit, min, max }: { readonly unit: string; readonly min: number; readonly max: number },
): boolean => confirm === 'hold' && unit === '' && max - min <= 1;

/** Does this value meet the alarm condition? HIGH at or above the setpoint, LOW at or below it. */
export function violates(rule: Pick<ThresholdRule, 'side' | 'setpoint'>, value: number): boolean {
  return rule.side === 'high' ? value >= rule.setpoint : value <= rule.setpoint;
}

/** The level at which a rule clears: its own, or its setpoint less (low: and) its deadband. */
export const clearsAt = (rule: Pick<ThresholdRule, 'side' | 'setpoint' | 'deadband' | 'clearLevel'>): number =>
  rule.clearLevel ?? (rule.side === 'high' ? rule.setpoint - rule.deadband : rule.setpoint + rule.deadband);

/** Does this value meet the clear condition? With a deadband of 0 a value equal to the setpoint does not. */
export function clears(rule: ThresholdRule, value: number): boolean {
  const level = clearsAt(rule);
  return rule.side === 'high' ? value <= level && value < rule.setpoint : value >= level && value > rule.setpoint;
}

/** True while an alert of this threshold is open: a running off-delay is still in alarm. */
export const inAlarm = (state: ThresholdState): boolean => state.phase === 'active' || state.phase === 'pending-off';

/**
 * One event on one threshold.
 *
 * `readings`: a delay ends on the first accepted reading at least the delay after the one that began it; ticks are
 * ignored; a gap longer than `maxGapMs` restarts a running delay. `hold`: the last value holds, a delay ends at
 * exactly its start plus the delay, whichever event notices it; it is abandoned when the last reading goes stale
 * first. A gap never clears an alarm. The same events in any batching, and any number of extra ticks placed after
 * the readings they follow in time, give the same transitions.
 *
 * Out of its hours, or `suppressed`, a rule is not judged: an alarm that stands is over, and no delay runs. What it reads meanwhile is kept: a
 * held value that is beyond the setpoint as it wakes begins its delay then.
 */
export function stepThreshold(rule: ThresholdRule, state: ThresholdState, event: ThresholdEvent, suppressed = false): ThresholdStep {
  const why = suppressed ? 'suppressed' : rule.hours && !isWithin(rule.hours, event.at) ? 'hours' : null;
  if (why !== null) return stepAsleep(rule, state, event, why);
  return stepAwake(rule, state.asleep ? woken(rule, state, event.at) : state, event);
}

function stepAsleep(rule: ThresholdRule, state: ThresholdState, event: ThresholdEvent, why: 'hours' | 'suppressed'): ThresholdStep {
  // Judged against what nothing reaches: readings are taken down, and refused as ever.
  const never = { ...rule, setpoint: rule.side === 'high' ? Infinity : -Infinity };
  const quiet: ThresholdState = { ...state, phase: 'normal', since: null, asleep: true };
  const { state: after, rejected } = stepAwake(never, quiet, event);
  const over: Transition[] = inAlarm(state) ? [{ kind: 'clear', at: event.at, value: after.lastValue ?? 0, why }] : [];
  return { state: { ...after, asleep: true }, transitions: over, ...(rejected && { rejected }) };
}

function woken(rule: ThresholdRule, { asleep: _, ...state }: ThresholdState, at: number): ThresholdState {
  const stands = rule.confirm === 'hold' && state.lastValue !== null && violates(rule, state.lastValue);
  return stands ? { ...state, phase: 'pending-on', since: at } : state;
}

function stepAwake(rule: ThresholdRule, state: ThresholdState, event: ThresholdEvent): ThresholdStep {
  if (event.kind === 'tick') {
    if (rule.confirm === 'readings') return { state, transitions: [] };
    const held = advanceHeld(rule, state, event.at, true);
    return { ...held, state: { ...held.state, watermark: Math.max(held.state.watermark ?? event.at, event.at) } };
  }
  const rejected = rejectionOf(rule, state, event);
  if (rejected) return { state, transitions: [], rejected };

  const before = rule.confirm === 'hold' ? advanceHeld(rule, state, event.at, false) : { state, transitions: [] };
  const after = acceptReading(rule, before.state, event.at, event.value);
  return before.transitions.length === 0 ? after : { state: after.state, transitions: [...before.transitions, ...after.transitions] };
}

/** Why a reading cannot be used after what was read last; `undefined`: it can. */
export function rejectionOf(
  rule: Pick<ThresholdRule, 'skewMs' | 'confirm'>,
  state: Pick<ThresholdState, 'lastAt' | 'watermark'>,
  event: Extract<ThresholdEvent, { kind: 'reading' }>,
): Rejection | undefined {
  if (!Number.isFinite(event.value) || !Number.isFinite(event.at) || event.quality === 'bad') return 'bad';
  if (event.arrivedAt !== undefined && event.at > event.arrivedAt + (rule.skewMs ?? DEFAULT_SKEW_MS)) return 'future';
  if (state.lastAt !== null && event.at <= state.lastAt) return 'out-of-order';
  if (rule.confirm === 'hold' && state.watermark !== null && event.at <= state.watermark) return 'out-of-order';
  return undefined;
}

function acceptReading(rule: ThresholdRule, state: ThresholdState, at: number, value: number): ThresholdStep {
  const gap = rule.confirm === 'readings' && rule.maxGapMs !== null && state.lastAt !== null && at - state.lastAt > rule.maxGapMs;
  const alarmed = inAlarm(state);
  const counting = alarmed ? clears(rule, value) : violates(rule, value);
  const { watermark } = state;
  if (!counting)
    return { state: { phase: alarmed ? 'active' : 'normal', since: null, lastAt: at, lastValue: value, watermark }, transitions: [] };

  const since = state.since === null || gap ? at : state.since;
  const delay = alarmed ? rule.offDelayMs : rule.onDelayMs;
  if (at - since < delay)
    return { state: { phase: alarmed ? 'pending-off' : 'pending-on', since, lastAt: at, lastValue: value, watermark }, transitions: [] };
  return {
    state: { phase: alarmed ? 'normal' : 'active', since: null, lastAt: at, lastValue: value, watermark },
    transitions: [{ kind: alarmed ? 'clear' : 'trip', at, value }],
  };
}

/** Lets time pass on a held value up to `until`; a tick at the due moment finishes it, a reading then speaks for itself. */
function advanceHeld(rule: ThresholdRule, state: ThresholdState, until: number, inclusive: boolean): ThresholdStep {
  const { since, lastAt, lastValue } = state;
  if (since === null || lastAt === null || lastValue === null) return { state, transitions: [] };
  const alarmed = inAlarm(state);
  const due = since + (alarmed ? rule.offDelayMs : rule.onDelayMs);
  const staleAt = rule.maxGapMs === null ? Infinity : lastAt + rule.maxGapMs;
  // A delay that ends just as the value goes stale is finished: equal is not a gap.
  if (due <= staleAt && (inclusive ? due <= until : due < until)) {
    return {
      state: { ...state, phase: alarmed ? 'normal' : 'active', since: null },
      transitions: [{ kind: alarmed ? 'clear' : 'trip', at: due, value: lastValue }],
    };
  }
  if (due > staleAt && until > staleAt) return { state: { ...state, phase: alarmed ? 'active' : 'normal', since: null }, transitions: [] };
  return { state, transitions: [] };
}
