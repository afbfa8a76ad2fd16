/** A range around all values with a tenth to spare; something sensible where there are none. */
export function rangeOf(values: (number | null)[][]): { range: [number, number] } {
  let low = Infinity;
  let high = -Infinity;
  for (const series of values) {
    for (const value of series) {
      if (value === null) continue;
      if (value < low) low = value;
      if (value > high) high = value;
    }
  }
  if (!Number.isFinite(low)) return { range: [0, 1] };
  const spare = Math.max((high - low) * 0.12, 0.5);
  return { range: [low - spare, high + spare] };
}
