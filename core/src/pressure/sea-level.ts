import { ISA } from './standard-atmosphere';

const usable = (hectopascals: number, metres: number): boolean => hectopascals >= 300 && hectopascals <= 1100 && Number.isFinite(metres);

/**
 * Pressure at sea level by the standard atmosphere (QNH), hPa, of a station at `metres`: needs no temperature. `null` outside 300…1100 hPa.
 * Source: ICAO Doc 7488, altimeter setting.
 */
export function qnhHectopascals(hectopascals: number, metres: number): number | null {
  if (!usable(hectopascals, metres)) return null;
  const exponent = 1 / ISA.exponent;
  return ISA.hectopascals * ((hectopascals / ISA.hectopascals) ** exponent + (ISA.perMetre * metres) / ISA.kelvin) ** ISA.exponent;
}

/** Pressure at a height, hPa, from the QNH there: `qnhHectopascals` the other way round. `null` where that is not usable. */
export function fromQnhHectopascals(qnh: number, metres: number): number | null {
  if (!usable(qnh, metres)) return null;
  const exponent = 1 / ISA.exponent;
  return ISA.hectopascals * ((qnh / ISA.hectopascals) ** exponent - (ISA.perMetre * metres) / ISA.kelvin) ** ISA.exponent;
}

/** Altimeter setting as the NWS forms it, hPa: about 0.3 hPa below QNH by its definition. */
export function altimeterSettingHectopascals(hectopascals: number, metres: number): number | null {
  if (!usable(hectopascals, metres)) return null;
  const n = 0.190284;
  const station = hectopascals - 0.3;
  return station * (1 + (((ISA.hectopascals ** n * 0.0065) / 288) * metres) / station ** n) ** (1 / n);
}

/**
 * Pressure reduced to sea level with the temperature (°C) and vapour pressure (hPa) at the station (QFF), hPa. The temperature must be that
 * of the air outside (its mean over 12 h at best): with one from indoors it is wrong. `null` outside 300…1100 hPa. Source: WMO-No. 8,
 * Part I ch. 3.
 */
export function qffHectopascals(hectopascals: number, metres: number, celsius: number, vapourHectopascals: number): number | null {
  if (!usable(hectopascals, metres) || !Number.isFinite(celsius) || !(vapourHectopascals >= 0)) return null;
  return hectopascals * 10 ** ((0.0148275 * metres) / (273.15 + celsius + (0.0065 * metres) / 2 + vapourHectopascals * 0.12));
}

/** Sea-level pressure, Pa, as textbooks reduce it with the temperature of the station (°C). Source: the form that psychrolib publishes. */
export const textbookSeaLevelPascals = (pascals: number, metres: number, celsius: number): number =>
  pascals * Math.exp(metres / ((287.055 * (celsius + (0.0065 * metres) / 2 + 273.15)) / 9.807));

/** Height above a place with pressure `seaLevel` (both hPa), m, as datasheets of barometric sensors form it. */
export const datasheetMetres = (hectopascals: number, seaLevel: number): number => 44_330 * (1 - (hectopascals / seaLevel) ** (1 / 5.255));

/** Pressure at sea level, hPa, as the same datasheets form it. */
export const datasheetSeaLevelHectopascals = (hectopascals: number, metres: number): number =>
  hectopascals / (1 - metres / 44_330) ** 5.255;

/** By how much one must climb for 1 hPa less, m, at a pressure (hPa) and temperature (°C): the hydrostatic equation. */
export const metresPerHectopascal = (hectopascals: number, celsius: number): number =>
  (287.05287 * (celsius + 273.15)) / (9.80665 * hectopascals);
