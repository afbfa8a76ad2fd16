/** Places of the points that keep the look of a line drawn with `most` of them (3 and more); all where there are no more. Split at gaps first. Source: Steinarsson 2013. */
export function largestTriangles(points: readonly (readonly [number, number])[], most: number): number[] {
  const n = points.length;
  if (most >= n || most < 3) return points.map((_, i) => i);
  const every = (n - 2) / (most - 2);
  const chosen = [0];
  for (let i = 0; i < most - 2; i++) {
    const from = Math.floor((i + 1) * every) + 1;
    const next = points.slice(from, Math.min(Math.floor((i + 2) * every) + 1, n));
    const [meanX, meanY] = [0, 1].map((axis) => next.reduce((sum, point) => sum + (point[axis] ?? 0), 0) / next.length) as [number, number];
    const [ax, ay] = points[chosen.at(-1) ?? 0] ?? [0, 0];
    let [best, area] = [-1, -1];
    for (let j = Math.floor(i * every) + 1; j < from; j++) {
      const [x, y] = points[j] ?? [0, 0];
      const size = Math.abs((ax - meanX) * (y - ay) - (ax - x) * (meanY - ay)) / 2;
      if (size > area) [best, area] = [j, size];
    }
    chosen.push(best);
  }
  return [...chosen, n - 1];
}

/** Places of the first lowest and first highest of every `width` values, in order: no extreme is lost. */
export function extremePlaces(values: readonly number[], width: number): number[] {
  const places: number[] = [];
  for (let from = 0; from < values.length; from += width) {
    const own = values.slice(from, from + width);
    places.push(...new Set([from + own.indexOf(Math.min(...own)), from + own.indexOf(Math.max(...own))].sort((a, b) => a - b)));
  }
  return places;
}

/** Does a sensor say nothing new: do its values over a time span less than this? */
export const isStuck = (values: readonly number[], least: number): boolean => Math.max(...values) - Math.min(...values) < least;
