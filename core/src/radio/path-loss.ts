const LIGHT_METRES_PER_SECOND = 299_792_458;

/** Free-space loss, dB: 20 log10(4πdf/c). `megahertz` and `metres` above 0; holds beyond about two wavelengths. Source: ITU-R P.525. */
export const freeSpaceLossDb = (megahertz: number, metres: number): number =>
  20 * Math.log10((4 * Math.PI * metres * megahertz * 1e6) / LIGHT_METRES_PER_SECOND);

/** The same with the rounded constant 32.4 as printed. Source: ITU-R P.525. */
export const freeSpaceLossRoundedDb = (megahertz: number, metres: number): number =>
  32.4 + 20 * Math.log10(megahertz) + 20 * Math.log10(metres / 1000);

/** Indoor loss of the older site-general form, dB: 20 log f + N log d + Lf − 28, d from 1 m. N already holds typical walls. Source: ITU-R P.1238. */
export const siteGeneralLossDb = (megahertz: number, metres: number, distanceCoefficient: number, floorDb: number): number =>
  20 * Math.log10(megahertz) + distanceCoefficient * Math.log10(metres) + floorDb - 28;

/** Loss of `floors` floors, dB: kf^((kf+2)/(kf+1) − b)·Lf; each floor costs less than the one before. Source: COST 231 final report, multi-wall model. */
export const floorLossDb = (floors: number, oneFloorDb = 18.3, b = 0.46): number =>
  floors === 0 ? 0 : floors ** ((floors + 2) / (floors + 1) - b) * oneFloorDb;

/** Wavelength, mm. */
export const wavelengthMillimetres = (megahertz: number): number => LIGHT_METRES_PER_SECOND / (megahertz * 1000);

/** Radius of the first Fresnel zone between antennas `a` and `b` metres away, m: keep 60 % of it clear. */
export const fresnelRadiusMetres = (a: number, b: number, megahertz: number): number =>
  Math.sqrt(((wavelengthMillimetres(megahertz) / 1000) * a * b) / (a + b));
