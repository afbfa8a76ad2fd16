/** A box on the drawing, points. */
export interface Box {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

const overlap = (a: Box, b: Box): number =>
  Math.max(0, Math.min(a.x + a.width, b.x + b.width) - Math.max(a.x, b.x)) *
  Math.max(0, Math.min(a.y + a.height, b.y + b.height) - Math.max(a.y, b.y));

/**
 * Places labels beside their marks: right, left, above, below, whichever covers least of what already stands there, in the
 * order given. Gives the upper left corner of each label's box.
 */
export function placeLabels(
  marks: readonly { x: number; y: number; width: number }[],
  standing: readonly Box[],
  height = 14,
  gap = 10,
): Box[] {
  const taken: Box[] = [...standing, ...marks.map(({ x, y }) => ({ x: x - 7, y: y - 7, width: 14, height: 14 }))];
  return marks.map(({ x, y, width }) => {
    const middle = y - height / 2;
    const places: Box[] = [
      { x: x + gap, y: middle, width, height },
      { x: x - gap - width, y: middle, width, height },
      { x: x - width / 2, y: y - gap - height, width, height },
      { x: x - width / 2, y: y + gap, width, height },
      { x: x + gap, y: middle - 11, width, height },
      { x: x + gap, y: middle + 11, width, height },
    ];
    const cost = (box: Box): number => taken.reduce((sum, other) => sum + overlap(box, other), 0);
    const best = places.reduce((one, other) => (cost(other) < cost(one) - 1 ? other : one));
    taken.push(best);
    return best;
  });
}

/** Is a spot free of all boxes, with some room around it? */
export const isClear = (x: number, y: number, boxes: readonly Box[], around = 4): boolean =>
  boxes.every((box) => x < box.x - around || x > box.x + box.width + around || y < box.y - around || y > box.y + box.height + around);
