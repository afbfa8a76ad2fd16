/** Exponential smoothing of evenly spaced values: S = α·x + (1 − α)·S, begun with `start`. Source: NIST/SEMATECH e-Handbook 6.4.3.1, 6.3.2.4. */
export function exponential(values: readonly number[], alpha: number, start: number): number[] {
  let s = start;
  return values.map((value) => (s = alpha * value + (1 - alpha) * s));
}

/** The α that unevenly spaced values want: after `seconds`, with a time constant `tau`, s. */
export const alphaOf = (seconds: number, tau: number): number => 1 - Math.exp(-seconds / tau);

/** Limits of a control chart of smoothed values around `mean`: `k` sigmas; after `t` values, or for good. Source: NIST/SEMATECH e-Handbook 6.3.2.4. */
export function smoothedLimits(mean: number, sigma: number, lambda: number, k: number, t = Infinity): readonly [low: number, high: number] {
  const half = k * sigma * Math.sqrt((lambda / (2 - lambda)) * (1 - (1 - lambda) ** (2 * t)));
  return [mean - half, mean + half];
}

/** Mean squared distance of forecasts (0…1) from what became (0 or 1); lower is better. Source: Brier 1950, half form. */
export const brier = (forecasts: readonly number[], outcomes: readonly number[]): number =>
  forecasts.reduce((sum, forecast, i) => sum + (forecast - (outcomes[i] ?? NaN)) ** 2, 0) / forecasts.length;

/** By how much forecasts beat always saying how often it happens, 1 at best; `null` where it always or never does. */
export function brierSkill(forecasts: readonly number[], outcomes: readonly number[]): number | null {
  const often = outcomes.reduce((sum, outcome) => sum + outcome, 0) / outcomes.length;
  const plain = brier(
    outcomes.map(() => often),
    outcomes,
  );
  return plain === 0 ? null : 1 - brier(forecasts, outcomes) / plain;
}
