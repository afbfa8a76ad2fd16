import type { Point, Threshold } from '@dewpost/contract';
import { violates } from '@dewpost/core/alarm';
import { rawScale, type CalibrationMethod, type Capture } from '@dewpost/core/calibration';

/** By so much of what was captured a reading may lie beyond it before that is said. */
const BEYOND_SHARE = 0.1;

/** What its node says lies where nothing was captured: what is made of it there is a guess. `null`: it does not. */
export function beyondCaptures(
  raw: number | undefined,
  captures: readonly Capture[],
  method: CalibrationMethod,
  figure: (value: number) => string,
): string | null {
  if (raw === undefined || captures.length < 2 || method === 'gain') return null;
  const raws = captures.map((one) => one.raw);
  const [low, high] = [Math.min(...raws), Math.max(...raws)];
  const reach = (high - low) * BEYOND_SHARE;
  return raw < low - reach || raw > high + reach
    ? `Its node says ${figure(raw)} now, and was captured from ${figure(low)} to ${figure(high)}: beyond that it is guessed.`
    : null;
}

/** Rules whose state a changed value would change at once; `before` `null`: none was judged. */
export const changedRules = (
  rules: readonly Threshold[],
  before: number | null,
  after: number,
  figure: (value: number) => string,
  outputName: (output: number) => string,
): string[] =>
  rules
    .filter((rule) => rule.judges.kind === 'value')
    .filter((rule) => (before !== null && violates(rule, before)) !== violates(rule, after))
    .map(
      ({ side, setpoint, output }) =>
        `${side === 'high' ? 'at or above' : 'at or below'} ${figure(setpoint)}${output === null ? '' : `, which switches ${outputName(output)}`}`,
    );

/** How far apart its values may lie to be called settled: a two hundredth of its usual range, two of its last figures at least. Common practice. */
export function settlesWithin(point: Point): number {
  const { min, max, decimals } = point.raw ? rawScale(point.raw) : point.calibratesTo;
  return Math.max((max - min) / 200, 2 * 10 ** -decimals);
}
