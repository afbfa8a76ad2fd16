import { studentCritical, studentTwoSided } from './student';

const mean = (values: readonly number[]): number => values.reduce((sum, value) => sum + value, 0) / values.length;
const variance = (values: readonly number[]): number => {
  const middle = mean(values);
  return values.reduce((sum, value) => sum + (value - middle) ** 2, 0) / (values.length - 1);
};

/** Do two samples that have nothing to do with each other have one mean? Source: Welch 1947. Two sensors of the same air are paired instead. */
export function welch(a: readonly number[], b: readonly number[]): { t: number; freedom: number; p: number } {
  const [va, vb] = [variance(a) / a.length, variance(b) / b.length];
  const t = (mean(a) - mean(b)) / Math.sqrt(va + vb);
  const freedom = (va + vb) ** 2 / (va ** 2 / (a.length - 1) + vb ** 2 / (b.length - 1));
  return { t, freedom, p: studentTwoSided(t, freedom) };
}

/** How two sensors differ that measured the same at the same times. */
export interface Paired {
  readonly n: number;
  /** Mean of a less b, and within what it lies with 95 %. */
  readonly bias: number;
  readonly halfWidth: number;
  readonly sd: number;
  readonly t: number;
  readonly p: number;
  /** Within which 95 % of single differences lie. Source: Bland & Altman 1986. */
  readonly agreement: readonly [number, number];
}

/** Compares pairs; `null` with fewer than two, or where all differ alike (then only the bias is known). Source: Student 1908; Bland & Altman 1986. */
export function paired(a: readonly number[], b: readonly number[]): Paired | null {
  const differences = a.map((value, i) => value - (b[i] ?? NaN));
  const n = differences.length;
  if (n < 2 || a.length !== b.length) return null;
  const bias = mean(differences);
  const sd = Math.sqrt(variance(differences));
  if (sd === 0) return null;
  const t = bias / (sd / Math.sqrt(n));
  const halfWidth = (studentCritical(0.95, n - 1) * sd) / Math.sqrt(n);
  return { n, bias, halfWidth, sd, t, p: studentTwoSided(t, n - 1), agreement: [bias - 1.96 * sd, bias + 1.96 * sd] };
}

/** How many of n readings count as independent where each resembles the one before by `rho` (−1…1). */
export const effectiveCount = (n: number, rho: number): number => (n * (1 - rho)) / (1 + rho);

/** A percentile (`share` 0…1) with linear interpolation. Source: Hyndman & Fan 1996, type 7. `null` of nothing. */
export function percentile(values: readonly number[], share: number): number | null {
  const sorted = [...values].sort((a, b) => a - b);
  const place = (sorted.length - 1) * share;
  const [low, high] = [sorted[Math.floor(place)], sorted[Math.ceil(place)]];
  return low === undefined || high === undefined ? null : low + (high - low) * (place - Math.floor(place));
}

/** Half the width in which a reading at `x0` lies with this confidence, by a line fitted through `xs` with residual deviation `s`. */
export function predictionHalfWidth(xs: readonly number[], s: number, x0: number, confidence: number): number {
  const middle = mean(xs);
  const sxx = xs.reduce((sum, x) => sum + (x - middle) ** 2, 0);
  return studentCritical(confidence, xs.length - 2) * s * Math.sqrt(1 + 1 / xs.length + (x0 - middle) ** 2 / sxx);
}
