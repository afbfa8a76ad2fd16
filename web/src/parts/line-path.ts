/** A line through points as the path of an SVG, to a tenth of its unit; empty for less than two. */
export function linePath(points: readonly (readonly [x: number, y: number])[]): string {
  return points.length < 2 ? '' : points.map(([x, y], i) => `${i === 0 ? 'M' : 'L'}${x.toFixed(1)} ${y.toFixed(1)}`).join('');
}
