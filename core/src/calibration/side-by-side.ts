import { median, medianDeviation, MAD_TO_SIGMA } from '../series';
import { effectiveCount, studentCritical } from '../statistics';
import type { Capture } from './capture';
import { leastSquares } from './fit';

/** A point that stood beside others: its readings (ms), as they are shown and as its node sent them. */
export interface Beside {
  readonly id: number;
  readonly readings: readonly { readonly at: number; readonly value: number; readonly raw: number }[];
}

/** How a point compares. */
export interface Compared {
  readonly id: number;
  /** Stretches that it shares with the reference. */
  readonly n: number;
  /** By how much it shows more than the reference, and within what that is known with 95 %. */
  readonly bias: number;
  readonly halfWidth: number;
  /** Standard deviation of the differences. */
  readonly noise: number;
  /** `agrees`: its bias may be none. `off`: it is off. `odd`: off, and far from how the others are. */
  readonly verdict: 'agrees' | 'off' | 'odd';
  /** What would put it right: the mean of all for an offset, or six captures along a range that is wide enough for a slope as well. */
  readonly method: 'offset' | 'linear';
  readonly captures: readonly Capture[];
}

/** Fewer stretches than this tell nothing. */
const LEAST = 6;
/** A slope wants a range of so many times the noise. */
const RANGE_TO_NOISE = 10;
const CAPTURES = 6;

const meanOf = (values: readonly number[]): number => values.reduce((sum, value) => sum + value, 0) / values.length;

/** Means of a point by stretches of the clock. */
function stretchesOf({ readings }: Beside, width: number): Map<number, { value: number; raw: number }> {
  const sums = new Map<number, { value: number; raw: number; n: number }>();
  for (const { at, value, raw } of readings) {
    const place = Math.floor(at / width);
    const sum = sums.get(place) ?? { value: 0, raw: 0, n: 0 };
    sums.set(place, { value: sum.value + value, raw: sum.raw + raw, n: sum.n + 1 });
  }
  return new Map([...sums].map(([place, { value, raw, n }]) => [place, { value: value / n, raw: raw / n }]));
}

/** How much each difference resembles the one before it, −1…1. */
function likeness(values: readonly number[]): number {
  const mean = meanOf(values);
  const all = values.reduce((sum, value) => sum + (value - mean) ** 2, 0);
  if (all === 0) return 0;
  return values.slice(1).reduce((sum, value, i) => sum + (value - mean) * ((values[i] ?? mean) - mean), 0) / all;
}

/** Means of six groups of stretches along the reference's range. */
function along(pairs: readonly { readonly raw: number; readonly reference: number }[]): Capture[] {
  const sorted = [...pairs].sort((a, b) => a.reference - b.reference);
  return Array.from({ length: CAPTURES }, (_, i) => {
    const group = sorted.slice(Math.floor((i * sorted.length) / CAPTURES), Math.floor(((i + 1) * sorted.length) / CAPTURES));
    return { raw: meanOf(group.map(({ raw }) => raw)), reference: meanOf(group.map(({ reference }) => reference)) };
  });
}

/**
 * Compares points that stood in the same air or water: with a trusted one (its number), or with their median. Readings are taken by stretches of
 * `width` ms; differences that resemble each other count for fewer. Gives why it cannot be said, in words, where it cannot. Source of the
 * interval: paired differences (Student 1908), with the count corrected for their likeness (common practice).
 */
export function sideBySide(
  points: readonly Beside[],
  { reference, width }: { readonly reference: number | 'median'; readonly width: number },
): { readonly range: number; readonly stretches: number; readonly points: readonly Compared[] } | string {
  if (points.length < 2) return 'Choose two points at least.';
  const all = new Map(points.map((point) => [point.id, stretchesOf(point, width)]));
  const trusted = reference === 'median' ? null : all.get(reference);
  if (trusted === undefined) return 'The trusted point is none of those chosen.';
  const places = [...new Set([...all.values()].flatMap((own) => [...own.keys()]))].sort((a, b) => a - b);
  const shown = new Map<number, number>();
  for (const place of places) {
    const here = [...all.values()].flatMap((own) => own.get(place)?.value ?? []);
    const value = trusted ? trusted.get(place)?.value : here.length >= 2 ? median(here) : undefined;
    if (value !== undefined) shown.set(place, value);
  }
  const range = shown.size === 0 ? 0 : Math.max(...shown.values()) - Math.min(...shown.values());
  const compared = points.flatMap(({ id }): Omit<Compared, 'verdict'>[] => {
    if (id === reference) return [];
    const pairs = [...(all.get(id) ?? [])]
      .sort(([a], [b]) => a - b)
      .flatMap(([place, own]) => {
        const at = shown.get(place);
        return at === undefined ? [] : [{ ...own, reference: at }];
      });
    const differences = pairs.map((pair) => pair.value - pair.reference);
    const n = differences.length;
    if (n < LEAST) return [{ id, n, bias: NaN, halfWidth: NaN, noise: NaN, method: 'offset', captures: [] }];
    const bias = meanOf(differences);
    const noise = Math.sqrt(differences.reduce((sum, value) => sum + (value - bias) ** 2, 0) / (n - 1));
    const counted = Math.max(2, Math.min(n, effectiveCount(n, Math.max(0, likeness(differences)))));
    const halfWidth = (studentCritical(0.95, counted - 1) * noise) / Math.sqrt(counted);
    // Noise of a line through it, not of the difference: a wrong slope is no noise.
    const line = leastSquares(pairs.map((pair) => ({ x: pair.raw, y: pair.reference })));
    const wide = range > RANGE_TO_NOISE * line.s && Number.isFinite(line.slope) && line.slope !== 0;
    const captures = wide
      ? along(pairs)
      : [{ raw: meanOf(pairs.map(({ raw }) => raw)), reference: meanOf(pairs.map((pair) => pair.reference)) }];
    return [{ id, n, bias, halfWidth, noise, method: wide ? 'linear' : 'offset', captures }];
  });
  const known = compared.filter(({ n }) => n >= LEAST);
  if (known.length === 0) return `They share fewer than ${LEAST} stretches: choose a longer time, or look whether all of them report.`;
  const biases = known.map(({ bias }) => bias);
  const [middle, spread] = [median(biases), MAD_TO_SIGMA * medianDeviation(biases)];
  return {
    range,
    stretches: shown.size,
    points: compared.map((one) => {
      const off = one.n >= LEAST && Math.abs(one.bias) > one.halfWidth;
      // Among three and fewer nobody is odd: it may be any of them.
      const odd = off && known.length >= 4 && Math.abs(one.bias - middle) > 3 * Math.max(spread, one.halfWidth);
      return { ...one, verdict: odd ? 'odd' : off ? 'off' : 'agrees' };
    }),
  };
}
