import type { Threshold } from '@dewpost/contract';
import type { Shape } from 'plotly.js-basic-dist-min';
import { LIMIT_COLOUR } from '../../parts/plot';

/** Limits within the scale, each with the band beyond it. */
export const limitShapes = (
  limits: readonly Pick<Threshold, 'side' | 'setpoint' | 'severity'>[],
  [low, high]: readonly [number, number],
  colour: (name: string) => string,
): Partial<Shape>[] =>
  limits
    .filter(({ setpoint }) => setpoint >= low && setpoint <= high)
    .flatMap(({ side, setpoint, severity }): Partial<Shape>[] => {
      const across = { xref: 'paper', x0: 0, x1: 1, yref: 'y', layer: 'below' } as const;
      const hue = colour(LIMIT_COLOUR[severity]);
      const far = side === 'high' ? high : low;
      return [
        { ...across, type: 'rect', y0: setpoint, y1: far, fillcolor: hue, opacity: 0.09, line: { width: 0 } },
        { ...across, type: 'line', y0: setpoint, y1: setpoint, line: { color: hue, width: 1 } },
      ];
    });
