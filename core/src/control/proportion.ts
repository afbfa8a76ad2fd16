/** An output that runs for a share of each cycle: the nearer to where its rule clears, the less. */
export interface Proportion {
  /** So far from where it clears it runs without a pause, in the point's unit. */
  readonly band: number;
  readonly cycleSeconds: number;
}

/** The share of a cycle that it runs, 0…1, at a value on its rule's side of where that clears. */
export function shareOf({ band }: Pick<Proportion, 'band'>, side: 'high' | 'low', clearLevel: number, value: number): number {
  const beyond = side === 'high' ? value - clearLevel : clearLevel - value;
  return Math.min(1, Math.max(0, beyond / band));
}

/**
 * Is it wanted now, within its cycle? One start a cycle at most: what has gone off in a cycle stays off until the next. A share that would be shorter
 * than its minimum time on is none, and a pause shorter than its minimum time off is none. Times in ms; cycles are counted from `since`;
 * `last`: what it was told last, `null`: nothing.
 */
export function isWantedInCycle(
  share: number,
  cycleMs: number,
  { minOnMs, minOffMs }: { readonly minOnMs: number; readonly minOffMs: number },
  since: number,
  last: { readonly on: boolean; readonly at: number } | null,
  now: number,
): boolean {
  const onMs = share * cycleMs;
  const phase = (((now - since) % cycleMs) + cycleMs) % cycleMs;
  const begun = now - phase;
  if (last !== null && !last.on && last.at >= begun) return false;
  if (cycleMs - onMs < Math.max(minOffMs, 1)) return true;
  // One that runs goes on through its share, however short that has become since.
  if (onMs < Math.max(minOnMs, 1)) return last !== null && last.on && phase < minOnMs && last.at >= begun;
  return phase < onMs;
}

/** Where a plant that is lifted by `gain` with its output on, and rests at `rests` without it, comes to under proportional control: it stays away from where its rule clears by what drives it (the offset of a proportional controller). */
export const settlesAt = (plant: { readonly gain: number; readonly rests: number }, clearLevel: number, band: number): number =>
  (plant.rests + (plant.gain * clearLevel) / band) / (1 + plant.gain / band);
