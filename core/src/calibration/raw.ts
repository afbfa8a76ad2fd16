import * as z from 'zod';
import { calibrated, slopeAt, type Coefficients } from './conversion';
import { fitCalibration, inForceAt, type CalibrationMethod, type Fitted } from './fit';
import type { Capture } from './capture';
import type { Law } from './laws';

/**
 * What a node sends for a point where that is not the point's own unit: counts, millivolts, ohms, pulses. `nominal` is what its build sheet
 * makes of it (a divider, a sender's table); `null`: there can be none before somebody calibrates it.
 */
export const rawScaleSchema = z.object({
  unit: z.string().min(1).max(16),
  min: z.number(),
  max: z.number(),
  step: z.number().positive(),
  /** How it moves while the quantity rises; `null`: that depends on how it is wired. */
  direction: z.enum(['rises', 'falls']).nullable().default(null),
  nominal: z.object({ gain: z.number(), offset: z.number() }).nullable().default(null),
});
export type RawScale = z.infer<typeof rawScaleSchema>;

interface Dated {
  readonly from: number;
  readonly version: number;
}
type Version = Dated & Coefficients;

/** Nothing converts it: it is shown as it comes, in its raw unit, and no rule is judged on it. */
export const isUncalibrated = (raw: RawScale | null, versions: readonly unknown[]): boolean =>
  raw !== null && raw.nominal === null && versions.length === 0;

/**
 * The calibration that converts what was measured at a time (ms): the one in force then. Where there is no nominal conversion the first
 * one reaches back to the beginning, so that one record never mixes two units. `null`: nominal, or none.
 */
export function versionAt<V extends Dated>(raw: RawScale | null, versions: readonly V[], at: number): V | null {
  const inForce = inForceAt(versions, at);
  if (inForce || raw === null || raw.nominal !== null) return inForce;
  return versions.reduce<V | null>((first, one) => (first === null || one.from < first.from ? one : first), null);
}

/** How a point's values are shown. */
export interface Scale {
  readonly unit: string;
  readonly min: number;
  readonly max: number;
  readonly decimals: number;
}

/** Unit, range and decimals of a point's values: those of the raw value while nothing converts it. */
export function scaleOf(point: Scale & { readonly raw: RawScale | null }, versions: readonly unknown[]): Scale {
  const { raw, unit, min, max, decimals } = point;
  if (raw === null || !isUncalibrated(raw, versions)) return { unit, min, max, decimals };
  return rawScale(raw);
}

/** How raw values are shown: to the last place that their step moves. */
export const rawScale = ({ unit, min, max, step }: RawScale): Scale => ({
  unit,
  min,
  max,
  decimals: Math.max(0, Math.ceil(-Math.log10(step))),
});

const AS_IT_COMES: Coefficients = { gain: 1, offset: 0 };
const TURN = 360;

/** How a raw value measured at a time (ms) becomes the point's value; as it comes where nothing converts it. */
export const conversionAt = (raw: RawScale | null, versions: readonly Version[], at: number): Coefficients =>
  versionAt(raw, versions, at) ?? raw?.nominal ?? AS_IT_COMES;

/** A raw value as the point has it at a time (ms). */
export const valueAt = (raw: RawScale | null, versions: readonly Version[], at: number, value: number): number =>
  calibrated(conversionAt(raw, versions, at), value);

/**
 * Fits a calibration of a point, or says in words why it cannot be: by the scale that its node sends, and against the way it must move.
 * `at`: whose slope an offset keeps, ms; `reference`: the standard uncertainty of the reference, in the point's unit.
 */
export function fitPoint(
  point: Scale & { readonly raw: RawScale | null; readonly physicalMin?: number; readonly physicalMax?: number },
  versions: readonly Version[],
  at: number,
  {
    method,
    captures,
    reference = 0,
    law = null,
  }: { method: CalibrationMethod; captures: readonly Capture[]; reference?: number; law?: Law | null },
): Fitted | string {
  const { raw, unit, decimals, min, max } = point;
  const step = 10 ** -decimals;
  const kept = conversionAt(raw, versions, at);
  // A direction: past north it begins anew.
  const turn = unit === '°' && min === 0 && max === TURN ? { turn: TURN } : {};
  if (raw === null && method === 'law') return `its node sends ${unit} already: what it measures follows no law here`;
  if (raw === null) return fitCalibration(method, captures, { step, reference, kept, ...turn });
  if (method === 'offset' && isUncalibrated(raw, versions))
    return `one reference cannot make ${unit} of ${raw.unit}: capture two, as far apart as you can`;
  const beyond = captures.find((capture) => judgeRaw(raw, capture.raw) !== null);
  if (beyond) return `${beyond.raw} ${raw.unit} is at the end of what the converter can give: look at the wire before calibrating`;
  const over = { min: point.physicalMin ?? min, max: point.physicalMax ?? max };
  const fitted = fitCalibration(method, captures, { step, rawStep: raw.step, kept, reference, ...turn, law, over, within: raw });
  if (typeof fitted === 'string' || raw.direction === null || captures.length === 0) return fitted;
  // What was fitted never turns back among its captures.
  const slope = slopeAt(fitted.coefficients, captures[0]?.raw ?? 0);
  if (slope < 0 === (raw.direction === 'falls')) return fitted;
  const [low, high] = [...captures].sort((a, b) => a.reference - b.reference).filter((_, i, all) => i === 0 || i === all.length - 1);
  return `its ${raw.unit} ${raw.direction === 'falls' ? 'fall' : 'rise'} as ${unit} rise, and here ${low?.raw} go with ${low?.reference} ${unit}, ${high?.raw} with ${high?.reference}: look whether two captures were mixed up`;
}

/** What a raw value alone says of a reading: outside of what the converter gives is no measurement, pinned at an end hides one. */
export function judgeRaw(raw: RawScale | null, value: number): 'out-of-range' | 'rail' | null {
  if (raw === null) return null;
  if (value < raw.min || value > raw.max) return 'out-of-range';
  return value === raw.min || value === raw.max ? 'rail' : null;
}
