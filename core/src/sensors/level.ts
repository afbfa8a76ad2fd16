/** Speed of sound in air, m/s. Source: ideal gas, 331.3 m/s at 0 °C. */
export const soundMetresPerSecond = (celsius: number): number => 331.3 * Math.sqrt(1 + celsius / 273.15);

/** Distance of what an echo came back from, m, from its time (µs) and the air's temperature (°C). */
export const echoMetres = (microseconds: number, celsius: number): number => (soundMetresPerSecond(celsius) * microseconds) / 2e6;

/** How long an echo takes from a distance (m), µs. */
export const echoMicroseconds = (metres: number, celsius: number): number => (2e6 * metres) / soundMetresPerSecond(celsius);

/** What a scale shows, in the unit of its reference: nothing on it reads `tare` counts, the reference `loaded` counts. `null` where both are one. */
export const scaleReading = (counts: number, tare: number, loaded: number, reference: number): number | null =>
  loaded === tare ? null : ((counts - tare) * reference) / (loaded - tare);

/** Counts of a 24-bit bridge converter for a bridge's voltage (mV), by its supply (V) and gain: its full scale is half the supply by the gain. */
export const bridgeCounts = (millivolts: number, supplyVolts: number, gain: number): number =>
  Math.round((millivolts / 1000 / ((0.5 * supplyVolts) / gain)) * 2 ** 23);

/** Water in mineral soil, m³/m³, from its relative permittivity (3…40); `null` outside. Source: Topp, Davis & Annan 1980. */
export const soilWaterFraction = (permittivity: number): number | null =>
  permittivity >= 3 && permittivity <= 40 ? -0.053 + 0.0292 * permittivity - 5.5e-4 * permittivity ** 2 + 4.3e-6 * permittivity ** 3 : null;

/** How much of what plants can take is there, 0 at the wilting point, 1 at field capacity, by water per volume. `null` where both are one. */
export const plantAvailableShare = (water: number, fieldCapacity: number, wiltingPoint: number): number | null =>
  fieldCapacity === wiltingPoint ? null : (water - wiltingPoint) / (fieldCapacity - wiltingPoint);

/** A soil by its texture: water per volume at field capacity and wilting point, from and to. Source: FAO-56 Table 19. */
export interface SoilTexture {
  readonly name: string;
  readonly fieldCapacity: readonly [number, number];
  readonly wiltingPoint: readonly [number, number];
}
export const SOIL_TEXTURES: readonly SoilTexture[] = [
  { name: 'sand', fieldCapacity: [0.07, 0.17], wiltingPoint: [0.02, 0.07] },
  { name: 'loamy sand', fieldCapacity: [0.11, 0.19], wiltingPoint: [0.03, 0.1] },
  { name: 'sandy loam', fieldCapacity: [0.18, 0.28], wiltingPoint: [0.06, 0.16] },
  { name: 'loam', fieldCapacity: [0.2, 0.3], wiltingPoint: [0.07, 0.17] },
  { name: 'silt loam', fieldCapacity: [0.22, 0.36], wiltingPoint: [0.09, 0.21] },
  { name: 'silt', fieldCapacity: [0.28, 0.36], wiltingPoint: [0.12, 0.22] },
  { name: 'silt clay loam', fieldCapacity: [0.3, 0.37], wiltingPoint: [0.17, 0.24] },
  { name: 'silty clay', fieldCapacity: [0.3, 0.42], wiltingPoint: [0.17, 0.29] },
  { name: 'clay', fieldCapacity: [0.32, 0.4], wiltingPoint: [0.2, 0.24] },
];
