import { faoSaturationKilopascals, saturationOverWaterHectopascals, WMO_ICE, WMO_WATER } from './saturation';

const humidityOk = (percent: number): boolean => Number.isFinite(percent) && percent >= 0 && percent <= 100;

/**
 * Vapour pressure of moist air, hPa. `celsius` −45…60, `percent` relative humidity over water 0…100 (what capacitive
 * sensors report, also below 0 °C). `null` outside. Source: WMO-No. 8.
 */
export function vapourPressureHectopascals(celsius: number, percent: number): number | null {
  const saturated = saturationOverWaterHectopascals(celsius);
  return saturated === null || !humidityOk(percent) ? null : (saturated * percent) / 100;
}

/**
 * Dew point over water, °C. `celsius` −45…60, `percent` above 0 to 100; `null` outside, and at 0 % (no dew point).
 * Source: WMO-No. 8, Part I ch. 4 annex; Sonntag 1990.
 * @example dewPointCelsius(20, 50) // 9.26
 */
export function dewPointCelsius(celsius: number, percent: number): number | null {
  if (saturationOverWaterHectopascals(celsius) === null || !humidityOk(percent) || percent === 0) return null;
  const { a, b } = WMO_WATER;
  const gamma = Math.log(percent / 100) + (a * celsius) / (b + celsius);
  return (b * gamma) / (a - gamma);
}

/**
 * Frost point, °C, of air whose humidity is given over water. `null` where the vapour pressure is above 6.112 hPa
 * (there is no frost point above 0 °C), at 0 % or out of range. Source: WMO-No. 8; Sonntag 1990.
 */
export function frostPointCelsius(celsius: number, percent: number): number | null {
  const pressure = vapourPressureHectopascals(celsius, percent);
  if (pressure === null || pressure <= 0 || pressure > WMO_ICE.scale) return null;
  const g = Math.log(pressure / WMO_ICE.scale);
  return (WMO_ICE.b * g) / (WMO_ICE.a - g);
}

/** Water in the air, g/m³: 216.68·e/T (216.68 = 10⁵/Rv, Rv = 461.52 J/kg/K). Ranges as `vapourPressureHectopascals`. */
export function absoluteHumidityGramsPerCubicMetre(celsius: number, percent: number): number | null {
  const pressure = vapourPressureHectopascals(celsius, percent);
  return pressure === null ? null : (216.68 * pressure) / (celsius + 273.15);
}

/** Water per dry air, g/kg, at `hectopascals` of air pressure; `null` out of range or where vapour would exceed the air pressure. */
export function mixingRatioGramsPerKilogram(celsius: number, percent: number, hectopascals: number): number | null {
  const pressure = vapourPressureHectopascals(celsius, percent);
  if (pressure === null || !Number.isFinite(hectopascals) || hectopascals <= pressure) return null;
  return (621.98 * pressure) / (hectopascals - pressure);
}

/** Vapour pressure deficit, kPa. Source: FAO-56 eq. 11. */
export function vapourPressureDeficitKilopascals(celsius: number, percent: number): number | null {
  const saturated = faoSaturationKilopascals(celsius);
  return saturated === null || !humidityOk(percent) ? null : saturated * (1 - percent / 100);
}
