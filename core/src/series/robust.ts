/** Makes the median absolute deviation of normal noise its standard deviation: 1/Φ⁻¹(0.75). */
export const MAD_TO_SIGMA = 1.4826;

/** The middle value; `NaN` of nothing. */
export function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  const half = sorted.length >> 1;
  return sorted.length % 2 === 1 ? (sorted[half] ?? NaN) : ((sorted[half - 1] ?? NaN) + (sorted[half] ?? NaN)) / 2;
}

/** Median absolute deviation from the median, in the values' unit. */
export function medianDeviation(values: readonly number[]): number {
  const middle = median(values);
  return median(values.map((value) => Math.abs(value - middle)));
}

/** How many robust standard deviations a value lies from the middle of others; `floor`: the least that counts as one (a step of the sensor). */
export function robustDistance(values: readonly number[], value: number, floor = 0): number {
  return (value - median(values)) / Math.max(MAD_TO_SIGMA * medianDeviation(values), floor);
}

/**
 * Places of outliers by the Hampel identifier: beyond `k` robust standard deviations from the middle of `half` neighbours at either side.
 * Ends are not judged. Without a `floor` any change of a constant record is an outlier.
 */
export function hampelOutliers(values: readonly number[], half: number, k: number, floor = 0): number[] {
  return values.flatMap((value, i) => {
    if (i < half || i >= values.length - half) return [];
    const near = values.slice(i - half, i + half + 1);
    const scale = Math.max(MAD_TO_SIGMA * medianDeviation(near), floor);
    return Math.abs(value - median(near)) > k * scale ? [i] : [];
  });
}
