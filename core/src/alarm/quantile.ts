/** The value below which this share (0 to 1) of the values lies, linear between two (Hyndman and Fan's definition 7); of at least one value. */
export const quantile = (values: readonly number[], share: number): number => quantileOfSorted(Float64Array.from(values).sort(), share);

/** The same of values that are sorted already. */
export function quantileOfSorted(sorted: Float64Array, share: number): number {
  const place = (sorted.length - 1) * share;
  const low = sorted[Math.floor(place)] as number;
  const high = sorted[Math.ceil(place)] as number;
  return low + (high - low) * (place - Math.floor(place));
}
