import { calibrated, slopeAt, type Coefficients } from './conversion';
import type { Capture } from './capture';

/** Least squares through zero: value = gain · raw. Throws nothing; a gain that is no number where all raw values are zero. */
export function throughZero(captures: readonly Capture[]): Coefficients {
  const across = captures.reduce((sum, { raw, reference }) => sum + raw * reference, 0);
  return { gain: across / captures.reduce((sum, { raw }) => sum + raw * raw, 0), offset: 0 };
}

/**
 * Least squares of a parabola. Raw values are moved to their middle and scaled first, and the square is taken free of the line: otherwise
 * large counts leave no digits. `null`: fewer than three different raw values.
 */
export function parabola(captures: readonly Capture[]): Coefficients | null {
  const n = captures.length;
  if (new Set(captures.map(({ raw }) => raw)).size < 3) return null;
  const middle = captures.reduce((sum, { raw }) => sum + raw, 0) / n;
  const width = Math.max(...captures.map(({ raw }) => Math.abs(raw - middle)));
  const x = captures.map(({ raw }) => (raw - middle) / width);
  const y = captures.map(({ reference }) => reference);
  const dot = (a: readonly number[], b: readonly number[]): number => a.reduce((sum, value, i) => sum + value * (b[i] ?? 0), 0);
  const one = x.map(() => 1);
  // Orthogonal polynomials over these very places: 1, x − a, x² − b·(x − a) − c.
  const a = dot(one, x) / n;
  const line = x.map((value) => value - a);
  const squares = x.map((value) => value * value);
  const b = dot(squares, line) / dot(line, line);
  const c = dot(squares, one) / n;
  const bend = squares.map((value, i) => value - b * (line[i] ?? 0) - c);
  const [k0, k1, k2] = [dot(y, one) / n, dot(y, line) / dot(line, line), dot(y, bend) / dot(bend, bend)];
  // Back to powers of the scaled value, then of the raw one.
  const [q2, q1, q0] = [k2, k1 - k2 * b, k0 - k1 * a - k2 * (c - b * a)];
  const square = q2 / width ** 2;
  const gain = q1 / width - 2 * square * middle;
  return { gain, offset: q0 - (q1 * middle) / width + square * middle ** 2, curve: { square, about: middle } };
}

/** A table through the captures, rising in raw; `null` where two stand at one raw value, or it turns back. */
export function tableThrough(captures: readonly Capture[]): Coefficients | null {
  const rows = [...captures].sort((a, b) => a.raw - b.raw).map(({ raw, reference }) => [raw, reference] as const);
  const steps = rows.slice(1).map(([raw, value], i) => [raw - (rows[i]?.[0] ?? 0), value - (rows[i]?.[1] ?? 0)] as const);
  const up = (steps[0]?.[1] ?? 0) > 0;
  if (steps.length === 0 || steps.some(([along, rise]) => along === 0 || rise === 0 || rise > 0 !== up)) return null;
  const [first, last] = [rows[0], rows.at(-1)];
  if (!first || !last) return null;
  const gain = (last[1] - first[1]) / (last[0] - first[0]);
  return { gain, offset: first[1] - gain * first[0], curve: { table: rows } };
}

/**
 * What the fit of all others misses each capture by, as a root mean square: how well it would have foretold what it was not shown. Those at the
 * ends of a table are passed over, since nothing lies on their other side. `null`: too few.
 */
export function leaveOneOut(
  captures: readonly Capture[],
  fit: (some: readonly Capture[]) => Coefficients | null,
  inner: boolean,
): number | null {
  const raws = captures.map(({ raw }) => raw);
  const [least, most] = [Math.min(...raws), Math.max(...raws)];
  const misses = captures.flatMap((left, i) => {
    if (inner && (left.raw === least || left.raw === most)) return [];
    const fitted = fit(captures.filter((_, other) => other !== i));
    return fitted ? [left.reference - calibrated(fitted, left.raw)] : [];
  });
  return misses.length === 0 ? null : Math.sqrt(misses.reduce((sum, miss) => sum + miss * miss, 0) / misses.length);
}

/** Where a fitted curve turns back between its captures; `null`: nowhere. */
export function turnsAt(coefficients: Coefficients, captures: readonly Capture[]): number | null {
  const { curve, gain } = coefficients;
  if (!curve || !('square' in curve) || curve.square === 0) return null;
  const top = -gain / (2 * curve.square);
  const raws = captures.map(({ raw }) => raw);
  return top > Math.min(...raws) && top < Math.max(...raws) ? top : null;
}

/** The steepest that it is among its captures; without any, in the middle of its table. */
export function steepest(coefficients: Coefficients, captures: readonly Capture[]): number {
  const { curve, gain } = coefficients;
  if (captures.length > 0) return Math.max(...captures.map(({ raw }) => Math.abs(slopeAt(coefficients, raw))));
  const middle = curve && 'table' in curve ? curve.table[curve.table.length >> 1] : undefined;
  return Math.abs(middle ? slopeAt(coefficients, middle[0]) : gain);
}
