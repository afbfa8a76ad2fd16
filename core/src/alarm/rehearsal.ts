import { chatteringIn } from './rates';
import type { ReadingOf } from './judged';
import { quantile, quantileOfSorted } from './quantile';
import { INITIAL_RULE_STATE, isPlain, stepRule } from './step-rule';
import { clearsAt, inAlarm, type Quality, type ThresholdRule, type Transition } from './threshold';

/**
 * A rule over a record: the engine that judges live readings, run over what was stored. Times in ms since 1970, values in the point's
 * unit.
 */

export interface Sample {
  readonly at: number;
  readonly value: number;
  readonly quality: Quality;
}

/** A stretch in alarm; `to` is `null` where it had not cleared when the record ended. */
export interface Excursion {
  readonly from: number;
  readonly to: number | null;
}

/** Samples by columns, in order of time: a year of them is gone through in a few milliseconds, as often as somebody drags a limit. */
export interface Columns {
  readonly at: Float64Array;
  readonly value: Float64Array;
  /** Places in `QUALITIES`. */
  readonly quality: Uint8Array;
}
const QUALITIES: readonly Quality[] = ['good', 'suspect', 'bad'];
const GOOD = 0;
/** The place of a reading that nothing is judged by. */
export const BAD_PLACE = 2;

export const columnsOf = (samples: readonly Sample[]): Columns => ({
  at: Float64Array.from(samples, ({ at }) => at),
  value: Float64Array.from(samples, ({ value }) => value),
  quality: Uint8Array.from(samples, ({ quality }) => QUALITIES.indexOf(quality)),
});

/** Samples of the other points that a rule needs. */
export interface OtherColumns {
  readonly beside?: Columns;
  readonly also?: Columns;
}

/** Where the rule would have tripped and cleared over samples, the record ending at `until`. */
export function rehearse(rule: ThresholdRule, columns: Columns, until: number, others: OtherColumns = {}): Excursion[] {
  const excursions: Excursion[] = [];
  let open: number | null = null;
  const take = (transitions: readonly Transition[]): void => {
    for (const { kind, at: when } of transitions) {
      if (kind === 'trip') open = when;
      else if (open !== null) {
        excursions.push({ from: open, to: when });
        open = null;
      }
    }
  };
  if (isPlain(rule)) throughOne(rule, columns, until, take);
  else throughAll(rule, { own: columns, ...others }, until, take);
  if (open !== null) excursions.push({ from: open, to: null });
  return excursions;
}

/** Readings of all that a rule needs, in order of time; at one time its own come last, when the others are known. */
function throughAll(
  rule: ThresholdRule,
  columns: Partial<Record<ReadingOf, Columns>>,
  until: number,
  take: (transitions: readonly Transition[]) => void,
): void {
  let state = INITIAL_RULE_STATE;
  const lanes = (['beside', 'also', 'own'] as const).flatMap((of) => (columns[of] ? [{ of, columns: columns[of], next: 0 }] : []));
  for (;;) {
    let first: (typeof lanes)[number] | null = null;
    for (const lane of lanes) {
      const time = lane.columns.at[lane.next];
      if (time !== undefined && (first === null || time < (first.columns.at[first.next] as number))) first = lane;
    }
    if (first === null) break;
    const { at, value, quality } = first.columns;
    const i = first.next++;
    const reading = {
      kind: 'reading',
      at: at[i] as number,
      value: value[i] as number,
      quality: QUALITIES[quality[i] as number] ?? 'bad',
    } as const;
    const step = stepRule(rule, state, reading, false, first.of);
    state = step.state;
    take(step.transitions);
  }
  take(stepRule(rule, state, { kind: 'tick', at: until }).transitions);
}

function throughOne(
  rule: ThresholdRule,
  { at, value, quality }: Columns,
  until: number,
  take: (transitions: readonly Transition[]) => void,
): void {
  let state = INITIAL_RULE_STATE;
  for (let i = 0; i < at.length; i++) {
    // Most readings of a record begin no delay and end none: all that such leave behind is that the last of them came last.
    if (rule.hours === undefined && state.since === null) {
      const next = firstThatCounts(rule, inAlarm(state), { at, value, quality }, i, state.lastAt ?? -Infinity);
      if (next > i) state = { ...state, lastAt: at[next - 1] as number, lastValue: value[next - 1] as number };
      i = next;
      if (i >= at.length) break;
    }
    const reading = {
      kind: 'reading',
      at: at[i] as number,
      value: value[i] as number,
      quality: QUALITIES[quality[i] as number] ?? 'bad',
    } as const;
    const step = stepRule(rule, state, reading);
    state = step.state;
    take(step.transitions);
  }
  take(stepRule(rule, state, { kind: 'tick', at: until }).transitions);
}

/**
 * The first sample from a place on that the engine has to look at: one that meets the rule's condition, or that it would refuse. The conditions are
 * those of `violates` and `clears`, written out since calling them takes half as long again; the tests hold both against the engine.
 */
function firstThatCounts(rule: ThresholdRule, alarmed: boolean, { at, value, quality }: Columns, from: number, lastAt: number): number {
  const { setpoint, side } = rule;
  const clear = clearsAt(rule);
  let before = lastAt;
  let i = from;
  for (; i < at.length; i++) {
    const t = at[i] as number;
    const v = value[i] as number;
    const counts =
      side === 'high' ? (alarmed ? v <= clear && v < setpoint : v >= setpoint) : alarmed ? v >= clear && v > setpoint : v <= setpoint;
    if (counts || quality[i] === BAD_PLACE || !(t > before) || t === Infinity || !Number.isFinite(v)) break;
    before = t;
  }
  return i;
}

/** The usual time between two samples, ms: the median. Samples in order of time; `null`: too few to say. */
export function usualGapMs(samples: readonly Sample[]): number | null {
  if (samples.length < 3) return null;
  return quantile(
    samples.slice(1).map(({ at }, i) => at - (samples[i] as Sample).at),
    0.5,
  );
}

/**
 * The rule for a record that may have been kept at a longer interval than its node reports at now: a silence of up to three of the
 * record's own usual gaps is none, else no delay would ever run out over it.
 */
export function forRecord(rule: ThresholdRule, usualGap: number | null): ThresholdRule {
  if (rule.maxGapMs === null || usualGap === null) return rule;
  return { ...rule, maxGapMs: Math.max(rule.maxGapMs, 3 * usualGap) };
}

/** An alarm that is over sooner than this was fleeting: common practice; ANSI/ISA-18.2 names no figure. */
export const FLEETING_MS = 60_000;
const DAY_MS = 86_400_000;

export interface RehearsalFigures {
  readonly trips: number;
  readonly perDay: number;
  readonly inAlarmMs: number;
  readonly longestMs: number;
  /** Trips over within `FLEETING_MS`. */
  readonly fleeting: number;
  /** Trips that belong to three or more within a minute. */
  readonly chattering: number;
}

/** Figures of excursions over a record `from` to `until`. */
export function rehearsalFigures(excursions: readonly Excursion[], from: number, until: number): RehearsalFigures {
  let [inAlarmMs, longestMs, fleeting] = [0, 0, 0];
  for (const { from: trip, to } of excursions) {
    const length = (to ?? until) - trip;
    inAlarmMs += length;
    longestMs = Math.max(longestMs, length);
    if (to !== null && length < FLEETING_MS) fleeting++;
  }
  const chattering = chatteringIn(excursions.map((excursion) => excursion.from));
  const perDay = until > from ? (excursions.length * DAY_MS) / (until - from) : 0;
  return { trips: excursions.length, perDay, inAlarmMs, longestMs, fleeting, chattering };
}

/**
 * Noise of a record, as a standard deviation: the mean moving range of two over 1.128 (NIST/SEMATECH e-Handbook of Statistical Methods,
 * 6.3.2.2). What drifts slowly adds little to it. `null` for fewer than two values.
 */
export function noiseOf(values: ArrayLike<number>): number | null {
  if (values.length < 2) return null;
  let sum = 0;
  for (let i = 1; i < values.length; i++) sum += Math.abs((values[i] as number) - (values[i - 1] as number));
  return sum / (values.length - 1) / 1.128;
}

/** What of a record suggests limits, whatever rule is drawn over it. `null`: nothing good was read, or too little. */
export interface Traits {
  readonly noise: number | null;
  /** Below which one and 99 in a hundred good values lie. */
  readonly low: number | null;
  readonly high: number | null;
}

export function traitsOf({ value, quality }: Columns): Traits {
  const values = value.filter((one, i) => quality[i] === GOOD && Number.isFinite(one));
  const sorted = Float64Array.from(values).sort();
  const at = (share: number): number | null => (sorted.length === 0 ? null : quantileOfSorted(sorted, share));
  return { noise: noiseOf(values), low: at(0.01), high: at(0.99) };
}

export interface Suggestions {
  /** Just outside of what 99 of 100 readings did; `null`: nothing was read. */
  readonly setpoint: number | null;
  /** Four times the noise, at least two steps of what is shown. */
  readonly deadband: { readonly value: number; readonly noise: number } | null;
  /** The shortest delay under which nothing is fleeting or chatters; `null`: there is nothing to quieten, or no delay of the list does. */
  readonly onDelay: { readonly ms: number; readonly before: RehearsalFigures; readonly after: RehearsalFigures } | null;
}

/** On-delays that are tried, s: from the starting values of EEMUA 191 and ANSI/ISA-18.2 (15 s and 60 s) up. */
const ON_DELAYS_S = [15, 30, 60, 120, 300, 600, 1800] as const;

/** Rounded up to this many decimals; what is there already but for binary arithmetic stays. */
function upTo(value: number, decimals: number): number {
  return Number((Math.ceil(Number((value * 10 ** decimals).toPrecision(12))) / 10 ** decimals).toFixed(decimals));
}

/**
 * What the record suggests, for a point shown with so many decimals. `rule` is the draft (its delays are not used), or only its side while
 * it has no setpoint.
 */
export function suggest(
  side: 'high' | 'low',
  rule: ThresholdRule | null,
  { columns, traits: { noise, low, high } }: { readonly columns: Columns; readonly traits: Traits },
  from: number,
  until: number,
  decimals: number,
): Suggestions {
  const deadband = noise === null ? null : { value: upTo(Math.max(4 * noise, 2 * 10 ** -decimals), decimals), noise };
  const edge = side === 'high' ? high : low;
  const step = 10 ** -decimals;
  const setpoint = edge === null ? null : side === 'high' ? upTo(edge + step, decimals) : -upTo(step - edge, decimals);
  return { setpoint, deadband, onDelay: rule === null ? null : quieter(rule, columns, from, until) };
}

function quieter(rule: ThresholdRule, columns: Columns, from: number, until: number): Suggestions['onDelay'] {
  const figures = (onDelayMs: number): RehearsalFigures =>
    rehearsalFigures(rehearse({ ...rule, onDelayMs, offDelayMs: 0 }, columns, until), from, until);
  const before = figures(0);
  if (before.fleeting === 0 && before.chattering === 0) return null;
  for (const seconds of ON_DELAYS_S) {
    const after = figures(seconds * 1000);
    if (after.fleeting === 0 && after.chattering === 0) return { ms: seconds * 1000, before, after };
  }
  return null;
}
