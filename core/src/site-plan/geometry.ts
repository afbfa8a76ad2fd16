/** A place on a floor: x to the right and y down, m. */
export type Spot = readonly [number, number];

/** Signed area by the shoelace formula, m²; positive where the corners go clockwise on the page (y down). */
const signedArea = (outline: readonly Spot[]): number =>
  outline.reduce((sum, [x, y], i) => {
    const [nextX, nextY] = outline[(i + 1) % outline.length] as Spot;
    return sum + x * nextY - nextX * y;
  }, 0) / 2;

/** Area inside an outline that does not cross itself, m². */
export const areaSquareMetres = (outline: readonly Spot[]): number => Math.abs(signedArea(outline));

/** Do the corners go clockwise on the page? */
export const isClockwise = (outline: readonly Spot[]): boolean => signedArea(outline) > 0;

const side = ([ax, ay]: Spot, [bx, by]: Spot, [px, py]: Spot): number => (bx - ax) * (py - ay) - (by - ay) * (px - ax);

/** Do the lines a–b and c–d share a spot other than a shared end? */
export function segmentsCross(a: Spot, b: Spot, c: Spot, d: Spot): boolean {
  const [d1, d2, d3, d4] = [side(c, d, a), side(c, d, b), side(a, b, c), side(a, b, d)];
  if (((d1 > 0 && d2 < 0) || (d1 < 0 && d2 > 0)) && ((d3 > 0 && d4 < 0) || (d3 < 0 && d4 > 0))) return true;
  // An end that lies within the other line.
  const within = (p: Spot, q: Spot, r: Spot, s: number): boolean =>
    s === 0 &&
    metresBetween(p, r) > 1e-9 &&
    metresBetween(q, r) > 1e-9 &&
    Math.abs(metresBetween(p, r) + metresBetween(r, q) - metresBetween(p, q)) < 1e-9;
  return within(c, d, a, d1) || within(c, d, b, d2) || within(a, b, c, d3) || within(a, b, d, d4);
}

/** Does an outline cross or touch itself anywhere but at neighbouring corners? */
export function crossesItself(outline: readonly Spot[]): boolean {
  const count = outline.length;
  for (let i = 0; i < count; i++) {
    for (let j = i + 1; j < count; j++) {
      const [a, b, c, d] = [outline[i], outline[(i + 1) % count], outline[j], outline[(j + 1) % count]] as [Spot, Spot, Spot, Spot];
      const neighbours = j === i + 1 || (i === 0 && j === count - 1);
      if (!neighbours && (segmentsCross(a, b, c, d) || metresBetween(a, c) < 1e-9)) return true;
      if (neighbours && segmentsCross(a, b, c, d)) return true;
    }
  }
  return false;
}

/** Is a spot inside an outline? Even-odd rule; spots on the edge count as either. */
export function isInside(outline: readonly Spot[], [x, y]: Spot): boolean {
  let inside = false;
  for (let i = 0, j = outline.length - 1; i < outline.length; j = i++) {
    const [xi, yi] = outline[i] as Spot;
    const [xj, yj] = outline[j] as Spot;
    if (yi > y !== yj > y && x < ((xj - xi) * (y - yi)) / (yj - yi) + xi) inside = !inside;
  }
  return inside;
}

export const metresBetween = ([ax, ay]: Spot, [bx, by]: Spot): number => Math.hypot(bx - ax, by - ay);

/** How far along the line a–b (0 to 1) the spot nearest to `p` lies, and how far `p` is from it, m. */
export function nearestOnLine(a: Spot, b: Spot, p: Spot): { along: number; metres: number } {
  const squared = (b[0] - a[0]) ** 2 + (b[1] - a[1]) ** 2;
  const along = squared === 0 ? 0 : Math.max(0, Math.min(1, ((p[0] - a[0]) * (b[0] - a[0]) + (p[1] - a[1]) * (b[1] - a[1])) / squared));
  return { along, metres: metresBetween(p, [a[0] + along * (b[0] - a[0]), a[1] + along * (b[1] - a[1])]) };
}

/** A place for a room's name: its centre of area, or, where that lies outside, the middle of its widest level stretch. */
export function middleOf(outline: readonly Spot[]): Spot {
  const area = signedArea(outline);
  if (area !== 0) {
    const sums = outline.reduce<[number, number]>(
      ([sx, sy], [x, y], i) => {
        const [nx, ny] = outline[(i + 1) % outline.length] as Spot;
        const cross = x * ny - nx * y;
        return [sx + (x + nx) * cross, sy + (y + ny) * cross];
      },
      [0, 0],
    );
    const centre: Spot = [sums[0] / (6 * area), sums[1] / (6 * area)];
    if (isInside(outline, centre)) return centre;
  }
  const ys = outline.map(([, y]) => y);
  const y = (Math.min(...ys) + Math.max(...ys)) / 2 + 1e-6;
  const xs = outline
    .flatMap(([x1, y1], i) => {
      const [x2, y2] = outline[(i + 1) % outline.length] as Spot;
      return y1 > y === y2 > y ? [] : [x1 + ((y - y1) / (y2 - y1)) * (x2 - x1)];
    })
    .sort((a, b) => a - b);
  let best: Spot = outline[0] as Spot;
  let widest = -1;
  for (let i = 0; i + 1 < xs.length; i += 2) {
    const [left, right] = [xs[i] as number, xs[i + 1] as number];
    if (right - left > widest) [widest, best] = [right - left, [(left + right) / 2, y]];
  }
  return best;
}

/** What a drag takes hold of: the ends of walls first, then the walls themselves, then the grid; else the spot as it is. */
export function snap(
  spot: Spot,
  lines: readonly { readonly from: Spot; readonly to: Spot }[],
  reachMetres: number,
  gridMetres: number | null,
  from: Spot | null = null,
): Spot {
  let best: Spot | null = null;
  let near = reachMetres;
  for (const line of lines)
    for (const end of [line.from, line.to]) if (metresBetween(end, spot) < near) [near, best] = [metresBetween(end, spot), end];
  if (best) return best;
  for (const line of lines) {
    const { along, metres } = nearestOnLine(line.from, line.to, spot);
    if (metres < near)
      [near, best] = [metres, [line.from[0] + along * (line.to[0] - line.from[0]), line.from[1] + along * (line.to[1] - line.from[1])]];
  }
  if (best) return best;
  // A line being drawn straightens to the level or the upright.
  const straight: Spot =
    from === null
      ? spot
      : Math.abs(spot[0] - from[0]) < reachMetres
        ? [from[0], spot[1]]
        : Math.abs(spot[1] - from[1]) < reachMetres
          ? [spot[0], from[1]]
          : spot;
  if (gridMetres === null) return straight;
  return [Math.round(straight[0] / gridMetres) * gridMetres, Math.round(straight[1] / gridMetres) * gridMetres];
}
