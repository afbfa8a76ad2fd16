/** One state of a cycle: how much it draws, for how long. */
export interface ChargeState {
  readonly milliamps: number;
  readonly seconds: number;
}

/** Average current over a cycle of states, mA: Σ(I·t)/Σt. `NaN` for an empty cycle. */
export function averageMilliamps(states: readonly ChargeState[]): number {
  const seconds = states.reduce((sum, state) => sum + state.seconds, 0);
  return states.reduce((sum, state) => sum + state.milliamps * state.seconds, 0) / seconds;
}

/** Hours in a mean year. */
export const HOURS_PER_YEAR = 8766;

/**
 * Days that a battery lasts under a steady load with self-discharge: dQ/dt = −I − λQ, so t = ln(1 + λ·Q/I)/λ.
 * `usableFraction` covers cut-off voltage, temperature and ageing; `selfDischargePerYear` 0 to below 1.
 * @example batteryDays(2500, 0.8, 0.08248, 0.03) // 970
 */
export function batteryDays(
  capacityMilliampHours: number,
  usableFraction: number,
  loadMilliamps: number,
  selfDischargePerYear: number,
): number {
  const usable = capacityMilliampHours * usableFraction;
  const lambda = -Math.log(1 - selfDischargePerYear) / HOURS_PER_YEAR;
  const hours = lambda === 0 ? usable / loadMilliamps : Math.log1p((lambda * usable) / loadMilliamps) / lambda;
  return hours / 24;
}
