/** Output of an unloaded divider, V: `upperOhms` from the input to the tap, `lowerOhms` from the tap to ground, both above 0. */
export const dividerVolts = (inputVolts: number, upperOhms: number, lowerOhms: number): number =>
  (inputVolts * lowerOhms) / (upperOhms + lowerOhms);

/** Input that drives the tap to `tapVolts`: what a divider makes of a converter's full scale, V. */
export const dividerInputFor = (tapVolts: number, upperOhms: number, lowerOhms: number): number =>
  (tapVolts * (upperOhms + lowerOhms)) / lowerOhms;

/** Current that a divider draws for ever, µA. */
export const dividerMicroamps = (inputVolts: number, upperOhms: number, lowerOhms: number): number =>
  (1e6 * inputVolts) / (upperOhms + lowerOhms);

/** Two resistances side by side, Ω: also what a converter sees as the source resistance of a divider. */
export const parallelOhms = (a: number, b: number): number => (a * b) / (a + b);

/** Gain error of a divider that feeds an input of `inputOhms`, %: −Rth/(Rth + Rin). */
export function loadingErrorPercent(upperOhms: number, lowerOhms: number, inputOhms: number): number {
  const source = parallelOhms(upperOhms, lowerOhms);
  return (-100 * source) / (source + inputOhms);
}

/** Worst error of a divider's ratio, %, when its parts are off by `tolerancePercent` in opposite directions. */
export function dividerToleranceErrorPercent(upperOhms: number, lowerOhms: number, tolerancePercent: number): number {
  const t = tolerancePercent / 100;
  const ideal = lowerOhms / (upperOhms + lowerOhms);
  const high = (lowerOhms * (1 + t)) / (upperOhms * (1 - t) + lowerOhms * (1 + t));
  const low = (lowerOhms * (1 - t)) / (upperOhms * (1 + t) + lowerOhms * (1 - t));
  return 100 * Math.max(high / ideal - 1, 1 - low / ideal);
}

/** One count of a converter, mV at its input. */
export const lsbMillivolts = (fullScaleVolts: number, bits: number): number => (1000 * fullScaleVolts) / 2 ** bits;
