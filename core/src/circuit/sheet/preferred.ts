/** E24 of IEC 60063: a table, since several of its values are not what the rounded formula gives. */
const E24 = [
  1.0, 1.1, 1.2, 1.3, 1.5, 1.6, 1.8, 2.0, 2.2, 2.4, 2.7, 3.0, 3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8, 7.5, 8.2, 9.1,
] as const;

/** Value number `k` (0 to 95) of E96, IEC 60063: 10^(k/96), rounded to two decimals. */
export const e96Value = (k: number): number => Math.round(100 * 10 ** (k / 96)) / 100;
const E96 = Array.from({ length: 96 }, (_, k) => e96Value(k));

export type Series = 24 | 96;
const SERIES: Record<Series, readonly number[]> = { 24: E24, 96: E96 };

/**
 * The preferred value nearest to `value` (> 0), smallest |ln ratio|. Source: IEC 60063. Throws `RangeError` for what is not a
 * positive number.
 * @example nearestPreferred(124907, 96) // 124000
 */
export function nearestPreferred(value: number, series: Series): number {
  if (!(value > 0) || !Number.isFinite(value)) throw new RangeError(`${value} has no preferred value: give a positive number`);
  const decade = 10 ** Math.floor(Math.log10(value));
  const candidates = [...SERIES[series].map((v) => v * decade), 10 * decade, (SERIES[series].at(-1) ?? 9.1) * (decade / 10)];
  const best = candidates.reduce((a, b) => (Math.abs(Math.log(b / value)) < Math.abs(Math.log(a / value)) ? b : a));
  return Number(best.toPrecision(6));
}

/** The largest preferred value not above `value`; for a base resistor, say, where more current is safe and less is not. */
export function preferredBelow(value: number, series: Series): number {
  const decade = 10 ** Math.floor(Math.log10(value));
  const below = [...SERIES[series].map((v) => v * decade), (SERIES[series].at(-1) ?? 9.1) * (decade / 10)].filter(
    (v) => v <= value * (1 + 1e-9),
  );
  return Number(Math.max(...below).toPrecision(6));
}
