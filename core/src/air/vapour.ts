import { faoPressureKilopascals } from '../pressure';
import { faoSaturationKilopascals } from './saturation';

const saturated = (celsius: number): number => faoSaturationKilopascals(celsius) ?? NaN;

/** Mean saturation pressure of a day, kPa: of highest and lowest temperature (°C), not of their mean. Source: FAO-56 eq. 12. */
export const meanSaturationKilopascals = (highest: number, lowest: number): number => (saturated(highest) + saturated(lowest)) / 2;

/** Vapour pressure by a ventilated psychrometer, kPa; temperatures in °C, height in m. Source: FAO-56 eq. 15 and Example 4. */
export const psychrometerKilopascals = (dry: number, wet: number, metres: number): number =>
  saturated(wet) - 0.000662 * faoPressureKilopascals(metres) * (dry - wet);

/** A day by its extremes: temperatures in °C, humidities in %. */
export interface DayExtremes {
  readonly highest: number;
  readonly lowest: number;
  readonly mostPercent: number;
  readonly leastPercent: number;
}

/** Vapour pressure of a day, kPa. Source: FAO-56 eq. 17. */
export const dayVapourKilopascals = ({ highest, lowest, mostPercent, leastPercent }: DayExtremes): number =>
  (saturated(lowest) * mostPercent + saturated(highest) * leastPercent) / 200;

/** Vapour pressure deficit of a day, kPa. Source: FAO-56 Example 6. */
export const dayDeficitKilopascals = (day: DayExtremes): number =>
  meanSaturationKilopascals(day.highest, day.lowest) - dayVapourKilopascals(day);
