/** Day of the year of a date `YYYY-MM-DD`, 1 to 366; `null` for what is no date. */
export function dayOfYear(date: string): number | null {
  const at = Date.parse(`${date}T00:00:00Z`);
  if (!/^\d{4}-\d{2}-\d{2}$/.test(date) || !Number.isFinite(at)) return null;
  return Math.round((at - Date.UTC(Number(date.slice(0, 4)), 0, 1)) / 86_400_000) + 1;
}

/** Inverse relative distance of the sun. Source: FAO-56 eq. 23. */
export const inverseSunDistance = (day: number): number => 1 + 0.033 * Math.cos((2 * Math.PI * day) / 365);

/** Declination of the sun, rad. Source: FAO-56 eq. 24. */
export const declinationRadians = (day: number): number => 0.409 * Math.sin((2 * Math.PI * day) / 365 - 1.39);

const radians = (degrees: number): number => (degrees * Math.PI) / 180;

/** Hour angle of sunset, rad, 0 in the polar night to π under the midnight sun. `latitude` in degrees, south negative. Source: FAO-56 eq. 25. */
export function sunsetHourAngle(latitude: number, day: number): number {
  return Math.acos(Math.max(-1, Math.min(1, -Math.tan(radians(latitude)) * Math.tan(declinationRadians(day)))));
}

/** Daylight, h. Source: FAO-56 eq. 34. */
export const daylightHours = (latitude: number, day: number): number => (24 / Math.PI) * sunsetHourAngle(latitude, day);

const SOLAR_CONSTANT = 0.082; // MJ/m²/min, FAO-56

/** Radiation at the top of the atmosphere, MJ/m²/day; never to be taken for peak sun hours. Source: FAO-56 eq. 21. */
export function extraterrestrialMegajoules(latitude: number, day: number): number {
  const phi = radians(latitude);
  const delta = declinationRadians(day);
  const omega = sunsetHourAngle(latitude, day);
  return (
    ((24 * 60) / Math.PI) *
    SOLAR_CONSTANT *
    inverseSunDistance(day) *
    (omega * Math.sin(phi) * Math.sin(delta) + Math.cos(phi) * Math.cos(delta) * Math.sin(omega))
  );
}

/** Radiation at the ground from sunshine hours, MJ/m²/day: (0.25 + 0.5·n/N)·Ra. Source: FAO-56 eq. 35. */
export const radiationFromSunshine = (extraterrestrial: number, sunshineHours: number, daylight: number): number =>
  (0.25 + (0.5 * sunshineHours) / daylight) * extraterrestrial;

/** Radiation at the ground from the day's temperatures, MJ/m²/day; `krs` 0.16 inland, 0.19 at a coast. Source: FAO-56 eq. 50 (Hargreaves). */
export const radiationFromTemperatures = (maxCelsius: number, minCelsius: number, extraterrestrial: number, krs = 0.16): number =>
  krs * Math.sqrt(maxCelsius - minCelsius) * extraterrestrial;

/** Peak sun hours, h at 1 kW/m², of a day's radiation at the ground. */
export const peakSunHours = (megajoules: number): number => megajoules / 3.6;

/** Share of the day's radiation that falls within each hour (0 to 23, solar time), by the sun's height; they add up to 1, or are all 0 in the polar night. */
export function hourlyShares(latitude: number, day: number): number[] {
  const phi = radians(latitude);
  const delta = declinationRadians(day);
  const [base, swing] = [Math.sin(phi) * Math.sin(delta), Math.cos(phi) * Math.cos(delta)];
  const heights = Array.from({ length: 24 }, (_, hour) => Math.max(0, base + swing * Math.cos(((hour - 11.5) * Math.PI) / 12)));
  const sum = heights.reduce((total, height) => total + height, 0);
  return heights.map((height) => (sum === 0 ? 0 : height / sum));
}

/**
 * Beam light on a tilted panel in each hour (0 to 23, solar time), as a share of the day's beam light on flat ground: cos θ over the day's
 * sum of cos θz. `facing` in degrees clockwise from north. Source: Duffie and Beckman, eq. 1.6.2 (from memory); flat gives `hourlyShares`.
 */
export function beamShares(latitude: number, day: number, tiltDegrees: number, facingDegrees: number): number[] {
  const [phi, tilt] = [radians(latitude), radians(tiltDegrees)];
  // The book counts from south, west positive.
  const azimuth = radians(facingDegrees - 180);
  const delta = declinationRadians(day);
  const hours = Array.from({ length: 24 }, (_, hour) => ((hour - 11.5) * Math.PI) / 12);
  const height = (omega: number): number =>
    Math.max(0, Math.sin(phi) * Math.sin(delta) + Math.cos(phi) * Math.cos(delta) * Math.cos(omega));
  const sum = hours.reduce((total, omega) => total + height(omega), 0);
  if (sum === 0) return hours.map(() => 0);
  return hours.map((omega) => {
    if (height(omega) === 0) return 0;
    const incidence =
      Math.sin(delta) * Math.sin(phi) * Math.cos(tilt) -
      Math.sin(delta) * Math.cos(phi) * Math.sin(tilt) * Math.cos(azimuth) +
      Math.cos(delta) * Math.cos(phi) * Math.cos(tilt) * Math.cos(omega) +
      Math.cos(delta) * Math.sin(phi) * Math.sin(tilt) * Math.cos(azimuth) * Math.cos(omega) +
      Math.cos(delta) * Math.sin(tilt) * Math.sin(azimuth) * Math.sin(omega);
    return Math.max(0, incidence) / sum;
  });
}
