import { FACTORS } from './units';

/** A value in the new unit is `value · factor + offset`; a difference has no offset. */
export interface UnitChange {
  readonly factor: number;
  readonly offset: number;
}

/** Units that a quantity is also told in, with what leads there from the unit on the left. Sources as in `FACTORS`; °F by definition. */
const ALSO: Readonly<Record<string, Readonly<Record<string, UnitChange>>>> = {
  '°C': { '°F': { factor: 9 / 5, offset: 32 } },
  cm: { m: { factor: 0.01, offset: 0 }, mm: { factor: 10, offset: 0 }, in: { factor: 10 / FACTORS.inchesToMillimetres, offset: 0 } },
  mm: { in: { factor: 1 / FACTORS.inchesToMillimetres, offset: 0 } },
  hPa: {
    inHg: { factor: 1 / FACTORS.inHgToHectopascals, offset: 0 },
    mmHg: { factor: 1 / FACTORS.mmHgToHectopascals, offset: 0 },
  },
  'L/min': { 'gal/min': { factor: 1 / FACTORS.usGallonsToLitres, offset: 0 } },
  'm/s': {
    'km/h': { factor: 3.6, offset: 0 },
    mph: { factor: 1 / FACTORS.milesPerHourToMetresPerSecond, offset: 0 },
    kn: { factor: 1 / FACTORS.knotsToMetresPerSecond, offset: 0 },
  },
  lx: { fc: { factor: 1 / FACTORS.footCandlesToLux, offset: 0 } },
  kg: { g: { factor: 1000, offset: 0 }, lb: { factor: 1 / 0.45359237, offset: 0 } },
};

/** Units that values of this unit can be told in, itself first. */
export const unitsFor = (unit: string): string[] => [unit, ...Object.keys(ALSO[unit] ?? {})];

/** What leads from one unit to another; `null` where they do not measure the same, or the way is not known. */
export function unitChange(from: string, to: string): UnitChange | null {
  if (from === to) return { factor: 1, offset: 0 };
  const there = ALSO[from]?.[to];
  if (there) return there;
  const back = ALSO[to]?.[from];
  return back ? { factor: 1 / back.factor, offset: -back.offset / back.factor } : null;
}

/** Decimals that show a value of the new unit as finely as `decimals` showed it in the old one: 0 to 6. */
export const decimalsAfter = (decimals: number, { factor }: UnitChange): number =>
  Math.max(0, Math.min(6, Math.ceil(decimals - Math.log10(Math.abs(factor)) - 1e-9)));
