/** Temperature at sea level (K), its fall with height (K/m), pressure (hPa), and g/(R·L). Source: ISO 2533. */
export const ISA = { kelvin: 288.15, perMetre: 0.0065, hectopascals: 1013.25, exponent: 5.25588 } as const;
const GAS_CONSTANT = 287.05287;
const EARTH_METRES = 6_356_766;
const CEILING_METRES = 11_000;

/** Within what the formulas hold for: 0 to 11 km, with some ground below the sea. */
const inTroposphere = (metres: number): boolean => Number.isFinite(metres) && metres >= -500 && metres <= CEILING_METRES;

/** Pressure of the standard atmosphere, hPa, at a geopotential height (m, −500…11 000); `null` outside. Source: ISO 2533 / ICAO Doc 7488. */
export const standardPressureHectopascals = (metres: number): number | null =>
  inTroposphere(metres) ? ISA.hectopascals * (1 - (ISA.perMetre * metres) / ISA.kelvin) ** ISA.exponent : null;

/** The geopotential height of a geometric one, m: a third of a metre less at 1 500 m. */
export const geopotentialMetres = (geometric: number): number => (EARTH_METRES * geometric) / (EARTH_METRES + geometric);

/** Temperature of the standard atmosphere, °C. Source: ISO 2533. */
export const standardCelsius = (metres: number): number | null =>
  inTroposphere(metres) ? ISA.kelvin - ISA.perMetre * metres - 273.15 : null;

/** Density of the standard atmosphere, kg/m³. Source: ISO 2533. */
export function standardDensity(metres: number): number | null {
  const pressure = standardPressureHectopascals(metres);
  return pressure === null ? null : (pressure * 100) / (GAS_CONSTANT * (ISA.kelvin - ISA.perMetre * metres));
}

/** The height at which the standard atmosphere has this pressure (hPa), m. `null` where it has none. Source: ISO 2533, inverted. */
export function pressureAltitudeMetres(hectopascals: number): number | null {
  if (!(hectopascals > 0)) return null;
  const metres = (ISA.kelvin / ISA.perMetre) * (1 - (hectopascals / ISA.hectopascals) ** (1 / ISA.exponent));
  return inTroposphere(metres) ? metres : null;
}

/** Air pressure by height (m), kPa. Not the standard atmosphere: 293 K at sea level. Source: FAO-56 eq. 7. */
export const faoPressureKilopascals = (metres: number): number => 101.3 * ((293 - 0.0065 * metres) / 293) ** 5.26;

/** Air pressure by height (m), Pa. Source: ASHRAE Fundamentals, ch. 1 eq. 3. */
export const ashraePressurePascals = (metres: number): number => 101_325 * (1 - 2.25577e-5 * metres) ** 5.2559;
