/** One capture: what the node said, and what a reference beside it showed. */
export interface Capture {
  readonly raw: number;
  readonly reference: number;
}

/** `offset`: one or more captures, the slope stays. `two-point`: a line through two. `linear`: least squares through three and more. */
export const CALIBRATION_METHODS = ['offset', 'two-point', 'linear'] as const;
export type CalibrationMethod = (typeof CALIBRATION_METHODS)[number];

/** value = gain · raw + offset. */
export interface Coefficients {
  readonly gain: number;
  readonly offset: number;
}

export interface Fitted {
  readonly coefficients: Coefficients;
  /** Standard uncertainty of a calibrated value within the captures, in the point's unit. */
  readonly uncertainty: number;
  /** Reference less fitted, in the order of the captures. */
  readonly residuals: readonly number[];
  /** Share of the spread that the line explains; `null`: no line was fitted through more than two. */
  readonly rSquared: number | null;
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

/**
 * Fits a calibration, or says in words why it cannot be. `step`: the last figure of what is captured, in the point's unit, or in raw units
 * where it is `rawStep`; `slope`: what an offset leaves as it is; `reference`: the standard uncertainty of the reference, in the point's unit.
 */
export function fitCalibration(
  method: CalibrationMethod,
  captures: readonly Capture[],
  {
    step,
    rawStep,
    slope: kept = 1,
    reference = 0,
  }: { readonly step: number; readonly rawStep?: number; readonly slope?: number; readonly reference?: number },
): Fitted | string {
  const resolution = (gain: number): number => ofStep(rawStep === undefined ? step : Math.abs(rawStep * gain));
  if (captures.some(({ raw, reference: at }) => !Number.isFinite(raw) || !Number.isFinite(at))) return 'a capture is no number';
  const raws = captures.map(({ raw }) => raw);
  const references = captures.map((one) => one.reference);
  if (method === 'offset') {
    if (captures.length === 0) return 'capture at least one value beside its reference';
    const misses = captures.map(({ raw, reference: at }) => at - kept * raw);
    const offset = misses.reduce((sum, miss) => sum + miss, 0) / misses.length;
    const spread = misses.length < 2 ? 0 : Math.sqrt(misses.reduce((sum, miss) => sum + (miss - offset) ** 2, 0) / (misses.length - 1));
    return {
      coefficients: { gain: kept, offset },
      uncertainty: root(resolution(kept), spread / Math.sqrt(misses.length), reference),
      residuals: misses.map((miss) => miss - offset),
      rSquared: null,
    };
  }
  if (method === 'two-point' && captures.length !== 2) return `two points make it, there are ${captures.length}: linear takes more`;
  if (method === 'linear' && captures.length < 3) return `a fitted line wants three captures at least, there are ${captures.length}`;
  if (apart(raws) === 0) return 'all captures are at one value: change what it measures between them';
  if (apart(references) === 0) return 'the reference stood still while the sensor moved: look whether both measure the same';
  if (method === 'two-point') {
    const [a, b] = captures as [Capture, Capture];
    const gain = (b.reference - a.reference) / (b.raw - a.raw);
    return {
      coefficients: { gain, offset: a.reference - gain * a.raw },
      uncertainty: root(resolution(gain), reference),
      residuals: [0, 0],
      rSquared: null,
    };
  }
  const { slope, intercept, s, rSquared } = leastSquares(captures.map(({ raw: x, reference: y }) => ({ x, y })));
  if (!(rSquared >= LEAST_FOLLOWED))
    return `the sensor hardly follows the reference (R² ${rSquared.toFixed(2)}): captures must lie further apart than they miss the line`;
  return {
    coefficients: { gain: slope, offset: intercept },
    uncertainty: root(resolution(slope), s, reference),
    residuals: captures.map(({ raw, reference: at }) => at - intercept - slope * raw),
    rSquared,
  };
}

/** A raw value as the point's unit has it. */
export const calibrated = ({ gain, offset }: Coefficients, raw: number): number => gain * raw + offset;

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
