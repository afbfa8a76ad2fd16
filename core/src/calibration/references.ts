/** Humidity over saturated salts, percent, at 0, 5, … 40 °C. Source: Greenspan 1977, J. Res. NBS 81A, table 2. */
const SATURATED_SALTS = {
  'lithium chloride': [null, 11.26, 11.29, 11.3, 11.31, 11.3, 11.28, 11.25, 11.21],
  'magnesium chloride': [33.66, 33.6, 33.47, 33.3, 33.07, 32.78, 32.44, 32.05, 31.6],
  'sodium chloride': [75.51, 75.65, 75.67, 75.61, 75.47, 75.29, 75.09, 74.87, 74.68],
  'potassium chloride': [88.61, 87.67, 86.77, 85.92, 85.11, 84.34, 83.62, 82.95, 82.32],
} as const;
export type SaturatedSalt = keyof typeof SATURATED_SALTS;
const EVERY_KELVIN = 5;

/** Relative humidity over a saturated salt, percent, 0 to 40 °C (lithium chloride from 5 °C), linear between the rows of the table; `null` outside. */
export function saltHumidity(salt: SaturatedSalt, celsius: number): number | null {
  const table = SATURATED_SALTS[salt];
  const place = celsius / EVERY_KELVIN;
  const below = Math.floor(place);
  const [low, high] = [table[below], table[Math.min(below + 1, table.length - 1)]];
  if (low === undefined || low === null || high === undefined || high === null || (below === table.length - 1 && place > below))
    return null;
  return low + (high - low) * (place - below);
}

/** Rain that a volume poured into a funnel stands for, mm: 1 mm is a litre on a square metre. */
export const pouredMillimetres = (millilitres: number, funnelMillimetres: number): number =>
  (millilitres * 1000) / (Math.PI * (funnelMillimetres / 2) ** 2);

/** Flow into a bucket, litres a minute. */
export const bucketLitresPerMinute = (litres: number, seconds: number): number => (litres * 60) / seconds;

/** Water in a soil sample by volume, percent, from its mass wet and dry (g) and its volume (cm³): water has 1 g/cm³. */
export const sampleWaterPercent = (wetGrams: number, dryGrams: number, volume: number): number => (100 * (wetGrams - dryGrams)) / volume;
