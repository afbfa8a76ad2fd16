import type { Point } from '@dewpost/contract';
import type { CalibrationMethod } from '@dewpost/core/calibration';

/** What to do with the hand, by what is measured. */
export const BY_HAND: readonly (readonly [RegExp, string])[] = [
  [
    /^soil-moisture/,
    'Say whether you weigh or measure the water by volume, and keep to it. Dry soil first, then the same soil well wetted: put the probe in anew for each capture, at its depth, and wait until it has settled.',
  ],
  [/^mass/, 'Empty for the first capture, then a weight you know, near the most it will carry. Wait a minute under load.'],
  [/^level/, 'Empty and full, or two depths measured with a rule.'],
];

/** How a point is calibrated, in the order that is offered. */
export const METHODS: readonly { value: CalibrationMethod; words: string; what: string }[] = [
  {
    value: 'offset',
    words: 'one reference',
    what: 'What a good instrument beside it shows: the whole scale is shifted by what it misses.',
  },
  { value: 'two-point', words: 'two points', what: 'Dry and wet, empty and full, ice and warm: a line through both.' },
  { value: 'linear', words: 'three and more', what: 'A line through all of them, by least squares; the residuals say how well.' },
  { value: 'gain', words: 'a factor', what: 'Zero is right, and the rest is wrong by a share: a line through zero and what you capture.' },
  { value: 'quadratic', words: 'a curve', what: 'A parabola through four and more, where the residuals of a line bend.' },
  {
    value: 'table',
    words: 'a table',
    what: 'Straight from capture to capture: senders, odd tanks, anything that only rises or only falls.',
  },
];

/** Formulas that are usually computed from what a point measures: what a tank holds by its level, what plants can take, a weight without its temperature. */
export function onwardOf(point: Point | null): readonly string[] {
  if (point?.calibratesTo.unit === 'cm' && /level|depth/.test(point.name))
    return ['tank-box', 'tank-standing', 'tank-lying', 'tank-cone', 'tank-sphere', 'tank-table'];
  if (point && /^soil/.test(point.name)) return ['plant-available'];
  return point && ['kg', 'g'].includes(point.calibratesTo.unit) ? ['at-one-temperature'] : [];
}
