import type { TraceScale } from '../../parts/trace';

/** Steps that Shift and the page keys go at once. */
const MANY_STEPS = 10;

const rounded = (value: number, decimals: number): number => Number(value.toFixed(decimals));

/** Where a value lies, px from the top of the trace; one beyond the scale lies at its end. */
export function heightOfValue({ top, height, low, high }: TraceScale, value: number): number {
  const share = high > low ? (high - value) / (high - low) : 0.5;
  return top + Math.min(1, Math.max(0, share)) * height;
}

/** The value at a height, px from the top of the trace, as finely as the point is shown and within the scale. */
export function valueAtHeight({ top, height, low, high }: TraceScale, at: number, decimals: number): number {
  const share = height > 0 ? Math.min(1, Math.max(0, (at - top) / height)) : 0;
  return rounded(high - share * (high - low), decimals);
}

/** The value after a key; `null`: this key moves nothing. */
export function steppedValue(value: number, { key, shiftKey }: Pick<KeyboardEvent, 'key' | 'shiftKey'>, decimals: number): number | null {
  const step = 10 ** -decimals * (shiftKey || key.startsWith('Page') ? MANY_STEPS : 1);
  if (key === 'ArrowUp' || key === 'PageUp') return rounded(value + step, decimals);
  if (key === 'ArrowDown' || key === 'PageDown') return rounded(value - step, decimals);
  return null;
}
