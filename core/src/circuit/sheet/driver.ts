/** Coil current, mA. */
export const coilMilliamps = (volts: number, ohms: number): number => (1000 * volts) / ohms;

/** Base resistor of a saturated transistor, Ω: (Vdrive − Vbe)·β/Ic, β the forced gain (10 to 20). Take the next lower preferred value. */
export const baseResistorOhms = (driveVolts: number, baseEmitterVolts: number, coilMilliamps: number, forcedGain: number): number =>
  ((driveVolts - baseEmitterVolts) * forcedGain * 1000) / coilMilliamps;

export type LoadKind = 'resistive' | 'inductive' | 'motor' | 'lamp' | 'dc';

/** Share of a contact's resistive rating that each kind of load may use. Common practice, no source. */
export const CONTACT_DERATING: Record<LoadKind, number> = { resistive: 0.75, inductive: 0.4, motor: 0.2, lamp: 0.1, dc: 0.3 };

/** Amperes that a contact rated `ratedAmps` (resistive) may switch of this kind of load. Common practice, no source. */
export const contactAmps = (ratedAmps: number, kind: LoadKind): number => ratedAmps * CONTACT_DERATING[kind];

/** Rated currents of fuse links, A. Source: the ratings of IEC 60127-2 and, above 10 A, of ISO 8820-3 blade fuses; remembered. */
export const FUSE_AMPS = [0.5, 0.63, 0.8, 1, 1.25, 1.6, 2, 2.5, 3.15, 4, 5, 6.3, 8, 10, 15, 20, 25, 30] as const;

/** The smallest fuse that carries a load (its current and a quarter) and is not above the contact's resistive rating, A; `null`: none is. */
export function fuseAmps(loadAmps: number, contactRatedAmps: number): number | null {
  const fuse = FUSE_AMPS.find((amps) => amps >= loadAmps * 1.25);
  return fuse !== undefined && fuse <= contactRatedAmps ? fuse : null;
}
