import type { CoverageGrid } from '@dewpost/core/radio';
import { isClear, type Box } from './labels';
import type { Draft } from './plan-tools';

/** Which part of the floor is seen: metres at the upper left corner, points a metre. */
export interface View {
  readonly left: number;
  readonly top: number;
  readonly scale: number;
}

/** Points on the screen. */
interface Size {
  readonly width: number;
  readonly height: number;
}

/** Soundings this far short of what is needed, dB, say nothing that a figure would. */
const NOT_HEARD_DB = -60;

/** Margins (dB) as figures over the chart, on a lattice whose rows are staggered, where nothing stands already. */
export function soundingFigures(
  { grid, margins }: { grid: CoverageGrid; margins: Float32Array },
  { left, top, scale }: View,
  { width, height }: Size,
  boxes: readonly Box[],
): { x: number; y: number; text: string; short: boolean }[] {
  const shown: { x: number; y: number; text: string; short: boolean }[] = [];
  for (let y = 22; y < height - 12; y += 40) {
    for (let x = 26 + ((y / 40) % 2 > 1 ? 24 : 0); x < width - 16; x += 52) {
      const column = Math.floor((left + x / scale - grid.left) / grid.cellMetres);
      const row = Math.floor((top + y / scale - grid.top) / grid.cellMetres);
      if (column < 0 || row < 0 || column >= grid.columns || row >= grid.rows || !isClear(x, y - 4, boxes, 9)) continue;
      const margin = margins[row * grid.columns + column] ?? 0;
      if (margin < NOT_HEARD_DB) continue;
      shown.push({ x, y, text: String(Math.round(margin)).replace('-', '−'), short: margin < 0 });
    }
  }
  return shown;
}

/** Ticks of the metres along both edges, in whole steps that leave room for their figures. */
export function staffTicks({ left, top, scale }: View, { width, height }: Size): Record<'across' | 'down', { at: number; px: number }[]> {
  const step = [1, 2, 5, 10, 20, 50, 100, 200, 500].find((one) => one * scale > 42) ?? 1000;
  const ticks = (from: number, length: number): { at: number; px: number }[] =>
    Array.from({ length: Math.ceil(length / scale / step) + 1 }, (_, i) => (Math.ceil(from / step) + i) * step)
      .filter((metres) => (metres - from) * scale <= length - 6)
      .map((at) => ({ at, px: (at - from) * scale }));
  return { across: ticks(left, width), down: ticks(top, height) };
}

/** What is being drawn: a zone from corner to corner, or a line through its spots, with the length of its last piece. */
export function draftShape({ spots, hover }: Draft, isZone: boolean, { left, top, scale }: View) {
  const x = (metres: number): number => (metres - left) * scale;
  const y = (metres: number): number => (metres - top) * scale;
  const all = hover ? [...spots, hover] : spots;
  const [first] = spots;
  const second = hover ?? spots[1];
  const zone =
    isZone && first && second
      ? {
          x: x(Math.min(first[0], second[0])),
          y: y(Math.min(first[1], second[1])),
          width: Math.abs(second[0] - first[0]) * scale,
          height: Math.abs(second[1] - first[1]) * scale,
        }
      : null;
  const last = all.at(-1);
  const before = all.at(-2);
  const far = last && before && spots.length > 0 ? Math.hypot(last[0] - before[0], last[1] - before[1]) : null;
  return {
    zone,
    d: zone ? '' : all.map(([cx, cy], i) => `${i === 0 ? 'M' : 'L'}${x(cx)} ${y(cy)}`).join(''),
    spots: spots.map(([cx, cy]) => ({ x: x(cx), y: y(cy) })),
    far: far === null || !last ? null : { x: x(last[0]) + 10, y: y(last[1]) - 8, text: `${far.toFixed(2)} m` },
  };
}
