import { chatteringIn } from './rates';
import { INITIAL_THRESHOLD_STATE, stepThreshold, type Quality, type ThresholdRule, type Transition } from './threshold';

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

/** Where the rule would have tripped and cleared over samples in order of time, the record ending at `until`. */
export function rehearse(rule: ThresholdRule, samples: Iterable<Sample>, until: number): Excursion[] {
  const excursions: Excursion[] = [];
  let open: number | null = null;
  const take = (transitions: readonly Transition[]): void => {
    for (const { kind, at } of transitions) {
      if (kind === 'trip') open = at;
      else if (open !== null) {
        excursions.push({ from: open, to: at });
        open = null;
      }
    }
  };
  let state = INITIAL_THRESHOLD_STATE;
  for (const { at, value, quality } of samples) {
    const step = stepThreshold(rule, state, { kind: 'reading', at, value, quality });
    state = step.state;
    take(step.transitions);
  }
  take(stepThreshold(rule, state, { kind: 'tick', at: until }).transitions);
  if (open !== null) excursions.push({ from: open, to: null });
  return excursions;
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
export function noiseOf(values: readonly number[]): number | null {
  if (values.length < 2) return null;
  let sum = 0;
  for (let i = 1; i < values.length; i++) sum += Math.abs((values[i] as number) - (values[i - 1] as number));
  return sum / (values.length - 1) / 1.128;
}

/** The value below which this share (0 to 1) of the values lies, linear between two (Hyndman and Fan's definition 7); of at least one value. */
export function quantile(values: readonly number[], share: number): number {
  const sorted = [...values].sort((a, b) => a - b);
  const place = (sorted.length - 1) * share;
  const low = sorted[Math.floor(place)] as number;
  const high = sorted[Math.ceil(place)] as number;
  return low + (high - low) * (place - Math.floor(place));
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
  samples: readonly Sample[],
  from: number,
  until: number,
  decimals: number,
): Suggestions {
  const values = samples.filter(({ quality, value }) => quality === 'good' && Number.isFinite(value)).map(({ value }) => value);
  const noise = noiseOf(values);
  const deadband = noise === null ? null : { value: upTo(Math.max(4 * noise, 2 * 10 ** -decimals), decimals), noise };
  const edge = values.length === 0 ? null : quantile(values, side === 'high' ? 0.99 : 0.01);
  const step = 10 ** -decimals;
  const setpoint = edge === null ? null : side === 'high' ? upTo(edge + step, decimals) : -upTo(step - edge, decimals);
  return { setpoint, deadband, onDelay: rule === null ? null : quieter(rule, samples, from, until) };
}

function quieter(rule: ThresholdRule, samples: readonly Sample[], from: number, until: number): Suggestions['onDelay'] {
  const figures = (onDelayMs: number): RehearsalFigures =>
    rehearsalFigures(rehearse({ ...rule, onDelayMs, offDelayMs: 0 }, samples, until), from, until);
  const before = figures(0);
  if (before.fleeting === 0 && before.chattering === 0) return null;
  for (const seconds of ON_DELAYS_S) {
    const after = figures(seconds * 1000);
    if (after.fleeting === 0 && after.chattering === 0) return { ms: seconds * 1000, before, after };
  }
  return null;
}
