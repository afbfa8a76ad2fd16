/** One step of a signed converter of so many bits over a full scale (V), V. */
export const converterStepVolts = (fullScaleVolts: number, bits: number): number => fullScaleVolts / 2 ** (bits - 1);

/** Volts of a signed 16-bit converter, from its code as two's complement; its most is one step short of the full scale. */
export const signedSixteenVolts = (code: number, fullScaleVolts: number): number => (((code << 16) >> 16) * fullScaleVolts) / 32_768;
