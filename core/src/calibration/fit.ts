import { calibrated, shifted, slopeAt, type Coefficients } from './conversion';
import type { Capture } from './capture';
import { byLaw, type Law } from './laws';
import { leaveOneOut, parabola, steepest, tableThrough, throughZero, turnsAt } from './curves';

/**
 * `offset`: one or more captures, the shape stays. `gain`: a line through zero. `two-point`: a line through two. `linear`: least squares through
 * three and more. `quadratic`: a parabola through four and more. `table`: straight pieces from capture to capture. `law`: what physics says of the
 * part, with or without captures that trim it.
 */
export const CALIBRATION_METHODS = ['offset', 'gain', 'two-point', 'linear', 'quadratic', 'table', 'law'] as const;
export type CalibrationMethod = (typeof CALIBRATION_METHODS)[number];

export interface Fitted {
  readonly coefficients: Coefficients;
  /** Standard uncertainty of a calibrated value within the captures, in the point's unit. */
  readonly uncertainty: number;
  /** Reference less fitted, in the order of the captures. */
  readonly residuals: readonly number[];
  /** Share of the spread that the fit explains; `null`: nothing was fitted through more captures than it needs. */
  readonly rSquared: number | null;
  /** What the fit of all others misses a capture by, root mean square, in the point's unit; `null`: too few of them. */
  readonly leaveOneOut: number | null;
  /** What a law was found to be, in words. */
  readonly words?: string;
}

/** Least squares of y on x, by centred sums in two passes. */
export function leastSquares(points: readonly { readonly x: number; readonly y: number }[]): {
  slope: number;
  intercept: number;
  /** Residual standard deviation, and standard errors of both. */
  s: number;
  seSlope: number;
  seIntercept: number;
  rSquared: number;
} {
  const n = points.length;
  const meanX = points.reduce((sum, { x }) => sum + x, 0) / n;
  const meanY = points.reduce((sum, { y }) => sum + y, 0) / n;
  let [sxx, sxy, syy] = [0, 0, 0];
  for (const { x, y } of points) {
    sxx += (x - meanX) ** 2;
    sxy += (x - meanX) * (y - meanY);
    syy += (y - meanY) ** 2;
  }
  const slope = sxy / sxx;
  const intercept = meanY - slope * meanX;
  const sse = points.reduce((sum, { x, y }) => sum + (y - intercept - slope * x) ** 2, 0);
  const s = Math.sqrt(sse / (n - 2));
  return {
    slope,
    intercept,
    s,
    seSlope: s / Math.sqrt(sxx),
    seIntercept: s * Math.sqrt(1 / n + meanX ** 2 / sxx),
    rSquared: syy === 0 ? 1 : 1 - sse / syy,
  };
}

/** A line that explains less of the spread is no calibration. */
const LEAST_FOLLOWED = 0.5;
const apart = (values: readonly number[]): number => Math.max(...values) - Math.min(...values);
const root = (...parts: readonly number[]): number => Math.sqrt(parts.reduce((sum, part) => sum + part * part, 0));

/** Resolution as an uncertainty: a step is spread evenly (GUM 4.3.7). */
const ofStep = (step: number): number => step / Math.sqrt(12);

interface FitOptions {
  readonly step: number;
  readonly rawStep?: number;
  readonly kept?: Coefficients;
  readonly reference?: number;
  /** A direction: a whole turn is where it begins anew. */
  readonly turn?: number;
  /** The law that is followed, over what is measured and within what can be sent. */
  readonly law?: Law | null;
  readonly over?: { readonly min: number; readonly max: number };
  readonly within?: { readonly min: number; readonly max: number };
}
type Fit = (some: readonly Capture[]) => Coefficients | null;

const AS_IT_COMES: Coefficients = { gain: 1, offset: 0 };
const line: Fit = (captures) => {
  const { slope: gain, intercept: offset } = leastSquares(captures.map(({ raw: x, reference: y }) => ({ x, y })));
  return { gain, offset };
};

/**
 * Fits a calibration, or says in words why it cannot be. `step`: the last figure of what is captured, in the point's unit, or in raw units
 * where it is `rawStep`; `kept`: what an offset leaves in its shape; `reference`: the standard uncertainty of the reference, in the point's unit.
 */
export function fitCalibration(method: CalibrationMethod, captures: readonly Capture[], options: FitOptions): Fitted | string {
  if (captures.some(({ raw, reference: at }) => !Number.isFinite(raw) || !Number.isFinite(at))) return 'a capture is no number';
  const raws = captures.map(({ raw }) => raw);
  if (method === 'offset') return options.turn === undefined ? offsetOf(captures, options) : turnedBy(captures, options, options.turn);
  if (method === 'law') return lawOf(captures, options);
  if (method === 'gain') {
    if (captures.length === 0) return 'capture at least one value beside its reference';
    if (raws.every((raw) => raw === 0)) return 'the sensor says zero: a factor wants a value far from it';
    return fitted(throughZero(captures), captures, options, { free: 1, fit: throughZero });
  }
  if (method === 'two-point' && captures.length !== 2) return `two points make it, there are ${captures.length}: linear takes more`;
  const least = { 'two-point': 2, linear: 3, quadratic: 4, table: 2 }[method];
  if (captures.length < least) return `${WANTS[method] ?? ''}, there are ${captures.length}`;
  if (apart(raws) === 0) return 'all captures are at one value: change what it measures between them';
  if (apart(captures.map(({ reference }) => reference)) === 0)
    return 'the reference stood still while the sensor moved: look whether both measure the same';
  if (method === 'table') return tableOf(captures, options);
  if (method === 'two-point') {
    const [a, b] = captures as [Capture, Capture];
    const gain = (b.reference - a.reference) / (b.raw - a.raw);
    return fitted({ gain, offset: a.reference - gain * a.raw }, captures, options, { free: 2, fit: null });
  }
  if (method === 'linear') return followed(fitted(line(captures) ?? AS_IT_COMES, captures, options, { free: 2, fit: line }));
  const bent = parabola(captures);
  if (!bent) return 'a parabola wants three different values at least: change what it measures between captures';
  const turn = turnsAt(bent, captures);
  if (turn !== null)
    return `the parabola turns back at raw ${Number(turn.toPrecision(4))}, among the captures: one raw value would be two; take a table`;
  return followed(fitted(bent, captures, options, { free: 3, fit: parabola }));
}

const WANTS: Readonly<Partial<Record<CalibrationMethod, string>>> = {
  linear: 'a fitted line wants three captures at least',
  quadratic: 'a parabola wants four captures at least',
  table: 'a table wants two captures at least',
};

function offsetOf(captures: readonly Capture[], { kept = AS_IT_COMES, reference = 0, ...steps }: FitOptions): Fitted | string {
  if (captures.length === 0) return 'capture at least one value beside its reference';
  const misses = captures.map(({ raw, reference: at }) => at - calibrated(kept, raw));
  const shift = misses.reduce((sum, miss) => sum + miss, 0) / misses.length;
  const spread = misses.length < 2 ? 0 : Math.sqrt(misses.reduce((sum, miss) => sum + (miss - shift) ** 2, 0) / (misses.length - 1));
  const steep = Math.max(...captures.map(({ raw }) => Math.abs(slopeAt(kept, raw))));
  return {
    coefficients: shifted(kept, shift),
    uncertainty: root(resolutionOf(steps, steep), spread / Math.sqrt(misses.length), reference),
    residuals: misses.map((miss) => miss - shift),
    rSquared: null,
    leaveOneOut: null,
  };
}

/** A direction that is turned by what it misses: misses are means on a circle (a north of 359° and one of 1° lie two apart). */
function turnedBy(
  captures: readonly Capture[],
  { kept = AS_IT_COMES, reference = 0, ...steps }: FitOptions,
  turn: number,
): Fitted | string {
  if (captures.length === 0) return 'capture at least one value beside its reference';
  const before: Coefficients = { ...kept, curve: { turn } };
  const misses = captures.map(({ raw, reference: at }) => ((at - calibrated(before, raw)) / turn) * 2 * Math.PI);
  const mean = (of: (angle: number) => number): number => misses.reduce((sum, miss) => sum + of(miss), 0) / misses.length;
  const [sine, cosine] = [mean(Math.sin), mean(Math.cos)];
  if (Math.hypot(sine, cosine) < LEAST_AGREED) return 'the captures turn it to different sides: look whether one of them was mixed up';
  // The last digits are those of the sines, not of the vane.
  const shift = Number(((Math.atan2(sine, cosine) / (2 * Math.PI)) * turn).toFixed(9));
  const residuals = misses.map((miss) => nearest((miss / (2 * Math.PI)) * turn - shift, turn));
  const spread = misses.length < 2 ? 0 : Math.sqrt(residuals.reduce((sum, miss) => sum + miss * miss, 0) / (misses.length - 1));
  return {
    coefficients: shifted(before, shift),
    uncertainty: root(resolutionOf(steps, Math.abs(before.gain)), spread / Math.sqrt(misses.length), reference),
    ...{ residuals, rSquared: null, leaveOneOut: null },
  };
}
/** Below that the directions of the misses say nothing together (length of their mean, 0 … 1). */
const LEAST_AGREED = 0.5;
const nearest = (angle: number, turn: number): number => angle - turn * Math.round(angle / turn);

function lawOf(captures: readonly Capture[], options: FitOptions): Fitted | string {
  const { law, over, within = { min: -Infinity, max: Infinity }, reference = 0 } = options;
  if (!law || !over) return 'say which law it follows';
  const found = byLaw(law, captures, over, within);
  if (typeof found === 'string') return found;
  const { coefficients, own, words } = found;
  const residuals = captures.map(({ raw, reference: at }) => at - calibrated(coefficients, raw));
  const spread = residuals.length < 2 ? 0 : Math.sqrt(residuals.reduce((sum, miss) => sum + miss * miss, 0) / (residuals.length - 1));
  return {
    coefficients,
    uncertainty: root(resolutionOf(options, steepest(coefficients, captures)), spread, own, captures.length > 0 ? reference : 0),
    ...{ residuals, rSquared: null, leaveOneOut: null, words },
  };
}

/** Of straight pieces the error between captures is a quarter of what it is where every other one is left out: it goes with the square of their distance. */
const SHARE_BETWEEN = 1 / 4;

function tableOf(captures: readonly Capture[], options: FitOptions): Fitted | string {
  const coefficients = tableThrough(captures);
  if (!coefficients)
    return 'a table rises or falls all the way, one value for each raw one: two captures stand at one raw value, or it turns back between them';
  const out = leaveOneOut(captures, tableThrough, true);
  const { reference = 0 } = options;
  return {
    coefficients,
    uncertainty: root(resolutionOf(options, steepest(coefficients, captures)), (out ?? 0) * SHARE_BETWEEN, reference),
    residuals: captures.map(() => 0),
    rSquared: null,
    leaveOneOut: out,
  };
}

const resolutionOf = ({ step, rawStep }: Pick<FitOptions, 'step' | 'rawStep'>, steep: number): number =>
  ofStep(rawStep === undefined ? step : rawStep * steep);

/** What a fit leaves, with its uncertainty; `free`: how many figures were fitted. */
function fitted(
  coefficients: Coefficients,
  captures: readonly Capture[],
  options: FitOptions,
  { free, fit }: { readonly free: number; readonly fit: Fit | null },
): Fitted {
  const n = captures.length;
  const residuals = captures.map(({ raw, reference: at }) => at - calibrated(coefficients, raw));
  const mean = captures.reduce((sum, { reference: at }) => sum + at, 0) / n;
  const sse = residuals.reduce((sum, miss) => sum + miss * miss, 0);
  const all = captures.reduce((sum, { reference: at }) => sum + (at - mean) ** 2, 0);
  const s = n > free ? Math.sqrt(sse / (n - free)) : 0;
  const { reference = 0 } = options;
  return {
    coefficients,
    uncertainty: root(resolutionOf(options, steepest(coefficients, captures)), s, reference),
    residuals: n > free ? residuals : residuals.map(() => 0),
    rSquared: n > free && free > 1 ? (all === 0 ? 1 : 1 - sse / all) : null,
    leaveOneOut: fit && n > free + 1 ? leaveOneOut(captures, fit, false) : null,
  };
}

const followed = (one: Fitted): Fitted | string =>
  one.rSquared === null || one.rSquared >= LEAST_FOLLOWED
    ? one
    : `the sensor hardly follows the reference (R² ${one.rSquared.toFixed(2)}): captures must lie further apart than they miss the line`;

/** Which of versions is in force at a time: the last that begins at or before it. `null`: none. Withdrawn ones are to be left out. */
export function inForceAt<C extends { readonly from: number; readonly version: number }>(versions: readonly C[], at: number): C | null {
  let found: C | null = null;
  for (const one of versions)
    if (one.from <= at && (found === null || one.from > found.from || (one.from === found.from && one.version > found.version)))
      found = one;
  return found;
}

/** Has a stretch of values settled: its spread within `criterion`, over `least` values? Gives mean and spread. */
export function settledValue(
  values: readonly number[],
  criterion: number,
  least = 5,
): { settled: boolean; mean: number; spread: number } | null {
  if (values.length === 0) return null;
  const last = values.slice(-Math.max(least, 1));
  const mean = last.reduce((sum, value) => sum + value, 0) / last.length;
  return { settled: last.length >= least && apart(last) <= criterion, mean, spread: apart(last) };
}
