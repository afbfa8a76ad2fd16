/**
 * Saturation vapour pressure, one function a published formula. A forward formula and its inverse must come from
 * the same set: mixing sets makes the dew point at 100 % differ from the temperature.
 *
 * Every function returns `null` for a temperature that is not finite or lies outside the formula's stated range.
 */

const within = (value: number, low: number, high: number): boolean => Number.isFinite(value) && value >= low && value <= high;

/** Magnus constants over liquid water of WMO-No. 8 (Sonntag 1990): hPa, dimensionless, °C. */
export const WMO_WATER = { scale: 6.112, a: 17.62, b: 243.12 } as const;
/** Magnus constants over ice of WMO-No. 8 (Sonntag 1990): hPa, dimensionless, °C. */
export const WMO_ICE = { scale: 6.112, a: 22.46, b: 272.62 } as const;

const magnus = (m: { scale: number; a: number; b: number }, celsius: number): number =>
  m.scale * Math.exp((m.a * celsius) / (m.b + celsius));

/** Over liquid water, hPa, −45…60 °C. Source: WMO-No. 8, Part I ch. 4 annex; Sonntag 1990. */
export function saturationOverWaterHectopascals(celsius: number): number | null {
  return within(celsius, -45, 60) ? magnus(WMO_WATER, celsius) : null;
}

/** Over ice, hPa, −65…0 °C. Source: WMO-No. 8, Part I ch. 4 annex; Sonntag 1990. */
export function saturationOverIceHectopascals(celsius: number): number | null {
  return within(celsius, -65, 0) ? magnus(WMO_ICE, celsius) : null;
}

/** Factor by which moist air exceeds pure vapour at `hectopascals` (> 0). Source: WMO-No. 8. About +0.5 %; building sensors ignore it. */
export function enhancementFactor(hectopascals: number): number | null {
  return within(hectopascals, 1, 1200) ? 1.0016 + 3.15e-6 * hectopascals - 0.074 / hectopascals : null;
}

/** Over water, hPa, −40…50 °C (within 0.4 %). Source: Alduchov & Eskridge 1996, J. Appl. Meteor. 35 (AERK). */
export function alduchovEskridgeWaterHectopascals(celsius: number): number | null {
  return within(celsius, -40, 50) ? magnus({ scale: 6.1094, a: 17.625, b: 243.04 }, celsius) : null;
}

/** Over ice, hPa, −80…0 °C. Source: Alduchov & Eskridge 1996 (AERKi). */
export function alduchovEskridgeIceHectopascals(celsius: number): number | null {
  return within(celsius, -80, 0) ? magnus({ scale: 6.1121, a: 22.587, b: 273.86 }, celsius) : null;
}

/** The agrometeorological e°(T), kPa. Source: FAO Irrigation and Drainage Paper 56, eq. 11. Range taken as −40…60 °C. */
export function faoSaturationKilopascals(celsius: number): number | null {
  return within(celsius, -40, 60) ? 0.6108 * Math.exp((17.27 * celsius) / (celsius + 237.3)) : null;
}

/** Over water, hPa, −100…100 °C. Source: Sonntag 1990, Z. Meteorol. 70 (logarithmic form). */
export function sonntagWaterHectopascals(celsius: number): number | null {
  if (!within(celsius, -100, 100)) return null;
  const kelvin = celsius + 273.15;
  return Math.exp(-6096.9385 / kelvin + 16.635794 - 2.711193e-2 * kelvin + 1.673952e-5 * kelvin ** 2 + 2.433502 * Math.log(kelvin));
}

/**
 * Hyland–Wexler, Pa, −100…200 °C; over ice below the triple point (0.01 °C), over water above.
 * Source: ASHRAE Fundamentals ch. 1, eq. 5 and 6 (coefficients as in the psychrolib package).
 */
export function hylandWexlerPascals(celsius: number): number | null {
  if (!within(celsius, -100, 200)) return null;
  const t = celsius + 273.15;
  const logarithm =
    celsius <= 0.01
      ? -5.6745359e3 / t +
        6.3925247 -
        9.677843e-3 * t +
        6.2215701e-7 * t ** 2 +
        2.0747825e-9 * t ** 3 -
        9.484024e-13 * t ** 4 +
        4.1635019 * Math.log(t)
      : -5.8002206e3 / t + 1.3914993 - 4.8640239e-2 * t + 4.1764768e-5 * t ** 2 - 1.4452093e-8 * t ** 3 + 6.5459673 * Math.log(t);
  return Math.exp(logarithm);
}

const IF97 = [
  0.116_705_214_527_67e4, -0.724_213_167_032_06e6, -0.170_738_469_400_92e2, 0.120_208_247_024_7e5, -0.323_255_503_223_33e7,
  0.149_151_086_135_3e2, -0.482_326_573_615_91e4, 0.405_113_405_420_57e6, -0.238_555_575_678_49, 0.650_175_348_447_98e3,
] as const;

/** Saturation pressure of water, MPa, at `kelvin` 273.15…647.096; `null` outside. The reference that others are measured by. Source: IAPWS-IF97 eq. 30. */
export function industrialSaturationMegapascals(kelvin: number): number | null {
  if (!(kelvin >= 273.15 && kelvin <= 647.096)) return null;
  const [n1, n2, n3, n4, n5, n6, n7, n8, n9, n10] = IF97;
  const theta = kelvin + n9 / (kelvin - n10);
  const a = theta ** 2 + n1 * theta + n2;
  const b = n3 * theta ** 2 + n4 * theta + n5;
  const c = n6 * theta ** 2 + n7 * theta + n8;
  return ((2 * c) / (-b + Math.sqrt(b * b - 4 * a * c))) ** 4;
}
