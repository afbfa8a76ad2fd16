/** Rise times of the I²C modes, ns. Source: NXP UM10204. */
export const I2C_RISE_NANOSECONDS = { standard: 1000, fast: 300, fastPlus: 120 } as const;
export type I2cMode = keyof typeof I2C_RISE_NANOSECONDS;

/** Largest total pull-up of a bus, Ω: tr / (0.8473·Cb), 0.8473 = ln(0.7/0.3). Source: NXP UM10204 §7.1. */
export const i2cPullUpMaxOhms = (riseNanoseconds: number, busPicofarads: number): number =>
  (riseNanoseconds * 1000) / (0.8473 * busPicofarads);

/** Smallest total pull-up, Ω: (VDD − VOL) / IOL. VOL is 0.4 V at 3 mA (20 mA in Fast-mode Plus). Source: NXP UM10204 §7.1. */
export const i2cPullUpMinOhms = (supplyVolts: number, lowVolts: number, sinkMilliamps: number): number =>
  ((supplyVolts - lowVolts) * 1000) / sinkMilliamps;

/** Current through a pull-up whose contact or output holds the line low, µA. */
export const pullUpMicroamps = (volts: number, ohms: number): number => (1e6 * volts) / ohms;

/**
 * Single-wire pull-up for a bus at 3.3 V, Ω: 4.7 kΩ as a rule, less for long lines or many sensors. Common practice, no source.
 */
export function singleWirePullUpOhms(metres: number, sensors: number): number {
  if (metres <= 5 && sensors <= 4) return 4700;
  return metres <= 20 && sensors <= 10 ? 3300 : 2200;
}
