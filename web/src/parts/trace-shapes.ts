import type { Layout, Shape } from 'plotly.js-basic-dist-min';
import { LIMIT_COLOUR, plain } from './plot';

export interface TraceSeries {
  id: number;
  label: string;
  /** Which of the stacked scales it belongs to. */
  unit: string;
}
export interface TraceBand {
  unit: string;
  side: 'high' | 'low';
  setpoint: number;
  severity: 'advisory' | 'warning' | 'critical';
  /** Where it clears, drawn as a broken line; left out: not drawn. */
  clearLevel?: number;
}

/** One of the axes of a chart that lie over each other, from 0, and the values at its ends. */
export interface Scale {
  readonly axis: number;
  readonly range: readonly [number, number];
}

/** Least distance of two names at the ends of their lines, px. */
const APART_PX = 15;

const yOf = (axis: number): 'y' => (axis === 0 ? 'y' : `y${axis + 1}`) as 'y';

/** A limit as it lies on an axis of a chart (0 the first): the band beyond it, its line, and dashed where it clears. Nothing where it lies off the scale. */
export function bandShapes(
  band: Omit<TraceBand, 'unit'>,
  { axis, range: [low, high] }: Scale,
  colourOf: (name: string) => string,
): Partial<Shape>[] {
  if (band.side === 'high' ? band.setpoint > high : band.setpoint < low) return [];
  const color = colourOf(LIMIT_COLOUR[band.severity]);
  const across = { xref: 'paper', x0: 0, x1: 1, yref: yOf(axis), layer: 'below' } as const;
  const level = (y: number, dash?: 'dash'): Partial<Shape> => ({
    ...across,
    ...{ type: 'line', y0: y, y1: y, line: { color, width: 1, ...(dash && { dash }) } },
  });
  return [
    {
      ...across,
      ...{ type: 'rect', y0: band.setpoint, y1: band.side === 'high' ? high : low, fillcolor: color, opacity: 0.09, line: { width: 0 } },
    },
    level(band.setpoint),
    ...(band.clearLevel === undefined ? [] : [level(band.clearLevel, 'dash')]),
  ];
}

/** Every series of an axis is named at the end of its line, at `y`, names kept apart; `height` of the axis in px. */
export function endLabels(
  ends: readonly { label: string; y: number; colour: string }[],
  { axis, height, range: [low, high] }: Scale & { readonly height: number },
): NonNullable<Layout['annotations']> {
  const apart = ((high - low) * APART_PX) / height;
  let above = -Infinity;
  return [...ends]
    .sort((a, b) => a.y - b.y)
    .map(({ label, y, colour }) => {
      above = Math.max(y, above + apart);
      return {
        ...({ x: 1, xref: 'paper', xanchor: 'left', xshift: 6, y: above, yref: yOf(axis), showarrow: false } as const),
        text: plain(label),
        font: { size: 11, color: colour },
      };
    });
}
