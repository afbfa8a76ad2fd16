/** A room or tank that is heated, moistened or filled by an output, as a plant of the first order: it nears `on` or `off` with a time constant. */
export interface FirstOrderPlant {
  /** Time constant, s. */
  readonly tau: number;
  /** Where it would come to with the output on, and off, for good; in the point's unit. */
  readonly on: number;
  readonly off: number;
}

/** A cycle of switching between two levels. */
export interface SwitchingCycle {
  readonly onSeconds: number;
  readonly offSeconds: number;
  readonly periodSeconds: number;
  /** Share of the time that it is on, 0…1. */
  readonly duty: number;
}

/** How an output that is switched on at `low` and off at `high` cycles; `null` where it never gets there or back. Closed form of dT/dt = (T∞ − T)/τ. */
export function switchingCycle({ tau, on, off }: FirstOrderPlant, low: number, high: number): SwitchingCycle | null {
  if (!(tau > 0) || !(low < high) || !(off < low) || !(high < on)) return null;
  const onSeconds = tau * Math.log((on - low) / (on - high));
  const offSeconds = tau * Math.log((high - off) / (low - off));
  return { onSeconds, offSeconds, periodSeconds: onSeconds + offSeconds, duty: onSeconds / (onSeconds + offSeconds) };
}

/** The period where the band is small against the distances to both ends, s. */
export const smallBandPeriodSeconds = ({ tau, on, off }: FirstOrderPlant, middle: number, band: number): number =>
  tau * band * (1 / (on - middle) + 1 / (middle - off));

/** The shortest period that a band can have, at half duty, s: `rise` is what the output lifts the plant by for good. By the small-band form, and exactly. */
export const shortestPeriodSeconds = (tau: number, rise: number, band: number): { small: number; exact: number } => ({
  small: (4 * tau * band) / rise,
  exact: 2 * tau * Math.log((rise + band) / (rise - band)),
});

/** By how much a plant moves within a shortest time on, in the point's unit: a band less than that is left behind. `above`: T∞ less where it begins. */
export const movedWithin = (tau: number, above: number, seconds: number): number => above * (1 - Math.exp(-seconds / tau));

export const cyclesPerDay = (periodSeconds: number): number => 86_400 / periodSeconds;

/** How long a contact lasts, years, by the operations that it is rated for under its load. */
export const contactYears = (operations: number, perDay: number): number => operations / (perDay * 365.25);
