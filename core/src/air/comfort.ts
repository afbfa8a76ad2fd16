import { dewPointCelsius, vapourPressureHectopascals } from './humidity';
import { enhancementFactor, saturationOverWaterHectopascals, WMO_WATER } from './saturation';

const between = (value: number, low: number, high: number): boolean => Number.isFinite(value) && value >= low && value <= high;

/**
 * Heat index, °F, from °F and % of humidity: what shade and light wind feel like. Below 80 °F the simple form, which is near the air's own
 * temperature. `null` outside 0…100 % or where a figure is none. Source: NWS, Rothfusz regression with its two adjustments.
 */
export function heatIndexFahrenheit(fahrenheit: number, percent: number): number | null {
  if (!Number.isFinite(fahrenheit) || !between(percent, 0, 100)) return null;
  const [t, r] = [fahrenheit, percent];
  const simple = 0.5 * (t + 61 + (t - 68) * 1.2 + r * 0.094);
  if (simple < 80) return simple;
  const full =
    -42.379 +
    2.04901523 * t +
    10.14333127 * r -
    0.22475541 * t * r -
    0.00683783 * t * t -
    0.05481717 * r * r +
    0.00122874 * t * t * r +
    0.00085282 * t * r * r -
    0.00000199 * t * t * r * r;
  if (r < 13 && t >= 80 && t <= 112) return full - ((13 - r) / 4) * Math.sqrt((17 - Math.abs(t - 95)) / 17);
  if (r > 85 && t >= 80 && t <= 87) return full + ((r - 85) / 10) * ((87 - t) / 5);
  return full;
}

/** The same from °C, in °C. */
export function heatIndexCelsius(celsius: number, percent: number): number | null {
  const index = heatIndexFahrenheit((celsius * 9) / 5 + 32, percent);
  return index === null ? null : ((index - 32) * 5) / 9;
}

/**
 * Wet bulb temperature, °C, at about sea level. `celsius` −20…50, `percent` 5…99; `null` outside. Within −1 and +0.65 K, by its author.
 * Source: Stull 2011, eq. 1.
 */
export function wetBulbStullCelsius(celsius: number, percent: number): number | null {
  if (!between(celsius, -20, 50) || !between(percent, 5, 99)) return null;
  return (
    celsius * Math.atan(0.151977 * Math.sqrt(percent + 8.313659)) +
    Math.atan(celsius + percent) -
    Math.atan(percent - 1.676331) +
    0.00391838 * percent ** 1.5 * Math.atan(0.023101 * percent) -
    4.686035
  );
}

/**
 * Wet bulb temperature of a ventilated psychrometer, °C, at this air pressure (hPa): the psychrometer formula solved. `null` outside
 * −20…60 °C, at 0 % and without a pressure. Source: WMO-No. 8, Part I ch. 4.
 */
export function wetBulbCelsius(celsius: number, percent: number, hectopascals: number): number | null {
  const pressure = vapourPressureHectopascals(celsius, percent);
  if (pressure === null || percent === 0 || !between(celsius, -20, 60) || !between(hectopascals, 300, 1100)) return null;
  const factor = enhancementFactor(hectopascals) ?? 1;
  const excess = (wet: number): number =>
    factor * (saturationOverWaterHectopascals(wet) ?? NaN) -
    6.53e-4 * (1 + 0.000944 * wet) * hectopascals * (celsius - wet) -
    factor * pressure;
  // It rises with the wet bulb: halved until it is told to a ten-thousandth.
  let [low, high] = [-44, celsius];
  while (high - low > 1e-5) {
    const middle = (low + high) / 2;
    if (excess(middle) > 0) high = middle;
    else low = middle;
  }
  return (low + high) / 2;
}

/**
 * By how much a surface (its own temperature, not the room's) is warmer than the dew point of the air, K; at 0 and below it is wet.
 * Below 2 to 3 K a warning is common practice.
 */
export function condensationMarginKelvin(celsius: number, percent: number, surfaceCelsius: number): number | null {
  const dew = dewPointCelsius(celsius, percent);
  return dew === null || !Number.isFinite(surfaceCelsius) ? null : surfaceCelsius - dew;
}

/** Relative humidity of this air right at a surface, %: more than 100 means that it condenses. Mould: 80 % over a month (ISO 13788). */
export function surfaceHumidityPercent(celsius: number, percent: number, surfaceCelsius: number): number | null {
  const [pressure, saturated] = [vapourPressureHectopascals(celsius, percent), saturationOverWaterHectopascals(surfaceCelsius)];
  return pressure === null || saturated === null ? null : (100 * pressure) / saturated;
}

/** How warm a surface must be so that the air at it has at most this humidity (%), °C. Source: ISO 13788 (80 % against mould), Magnus form. */
export function warmestSurfaceNeededCelsius(celsius: number, percent: number, limitPercent: number): number | null {
  const pressure = vapourPressureHectopascals(celsius, percent);
  if (pressure === null || pressure <= 0 || !between(limitPercent, 1, 100)) return null;
  const { a, b, scale } = WMO_WATER;
  const g = Math.log((100 * pressure) / limitPercent / scale);
  return (b * g) / (a - g);
}

/** Temperature factor of a place on a wall: 1 as warm as the room, 0 as cold as outside. `null` where inside equals outside. Source: ISO 13788. */
export const temperatureFactor = (surfaceCelsius: number, insideCelsius: number, outsideCelsius: number): number | null =>
  insideCelsius === outsideCelsius ? null : (surfaceCelsius - outsideCelsius) / (insideCelsius - outsideCelsius);
