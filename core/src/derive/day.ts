import type { Given, Sample } from './formula';

/** What a counter has counted within the window: steps back are a restart (it began anew at 0) or, near its end, a wrap at `wrap`. */
export function countedIn({ window, before, begins }: Pick<Given, 'window' | 'before' | 'begins'>, wrap: number): number {
  let total = 0;
  // What was read right at the begin had been counted by then.
  const [first] = window;
  let last = (first?.at === begins ? first : (before ?? first))?.value ?? 0;
  for (const { value } of window) {
    if (value >= last) total += value - last;
    // The last tenth of its scale, and now in the first: it went round. Anything else back is a restart.
    else total += last > 0.9 * wrap && value < 0.1 * wrap ? wrap - last + value : value;
    last = value;
  }
  return total;
}

/** How often a state began within the window: rises from 0 to 1, what stood at its begin left out. */
export function beganIn({ window, before }: Pick<Given, 'window' | 'before'>): number {
  let last = before === null ? null : before.value > 0.5;
  let count = 0;
  for (const { value } of window) {
    const is = value > 0.5;
    if (is && last === false) count++;
    last = is;
  }
  return count;
}

/** Within the window, each value taken as standing until the next, but never longer than `mostGapMs`. Value · hours. */
export function heldHours({ window, before, begins }: Pick<Given, 'window' | 'before' | 'begins'>, mostGapMs: number): number {
  const samples: Sample[] = before ? [{ at: begins, value: before.value }, ...window] : [...window];
  return samples.reduce((sum, { at, value }, i) => {
    const next = samples[i + 1];
    return next ? sum + (value * Math.min(next.at - at, mostGapMs)) / 3_600_000 : sum;
  }, 0);
}

/** The same between the values, as a line from each to the next (trapezoids). */
export function betweenHours({ window }: Pick<Given, 'window'>, mostGapMs: number): number {
  return window.reduce((sum, { at, value }, i) => {
    const next = window[i + 1];
    return next ? sum + (((value + next.value) / 2) * Math.min(next.at - at, mostGapMs)) / 3_600_000 : sum;
  }, 0);
}

/** The line through the window by least squares, per hour; `null` where it is a single moment. */
export function slopePerHour(window: readonly Sample[]): number | null {
  const n = window.length;
  const [meanAt, mean] = [window.reduce((sum, one) => sum + one.at / n, 0), window.reduce((sum, one) => sum + one.value / n, 0)];
  let [sxx, sxy] = [0, 0];
  for (const { at, value } of window) {
    sxx += (at - meanAt) ** 2;
    sxy += (at - meanAt) * (value - mean);
  }
  return sxx === 0 ? null : (sxy / sxx) * 3_600_000;
}
