const KELVIN = 273.15;

/** Resistance of a thermistor at `celsius` by the Beta model, Ω: `atTwentyFive` in Ω, `beta` in K. Off by a kelvin and more far from the two temperatures that Beta was taken from. */
export const thermistorOhms = (celsius: number, atTwentyFive: number, beta: number): number =>
  atTwentyFive * Math.exp(beta * (1 / (celsius + KELVIN) - 1 / (25 + KELVIN)));

/** Temperature of a thermistor by the Beta model, °C; `null` for an open or shorted one. */
export const thermistorCelsius = (ohms: number, atTwentyFive: number, beta: number): number | null =>
  ohms > 0 && Number.isFinite(ohms) ? 1 / (1 / (25 + KELVIN) + Math.log(ohms / atTwentyFive) / beta) - KELVIN : null;

/** Beta of a thermistor, K, from two temperatures (°C) and its resistances at them (Ω). */
export const betaFrom = (t1: number, r1: number, t2: number, r2: number): number =>
  Math.log(r1 / r2) / (1 / (t1 + KELVIN) - 1 / (t2 + KELVIN));

/** Coefficients of 1/T = A + B·ln R + C·(ln R)³, T in K, R in Ω. Source: Steinhart & Hart 1968. */
export interface SteinhartHart {
  readonly a: number;
  readonly b: number;
  readonly c: number;
}

/** The coefficients through three pairs of °C and Ω; `null` where they do not lie on a curve of a thermistor. */
export function steinhartHartFrom(points: readonly (readonly [celsius: number, ohms: number])[]): SteinhartHart | null {
  const [p1, p2, p3] = points;
  if (points.length !== 3 || !p1 || !p2 || !p3 || points.some(([, ohms]) => !(ohms > 0))) return null;
  const [l1, l2, l3] = [Math.log(p1[1]), Math.log(p2[1]), Math.log(p3[1])];
  const [y1, y2, y3] = [1 / (p1[0] + KELVIN), 1 / (p2[0] + KELVIN), 1 / (p3[0] + KELVIN)];
  const [g2, g3] = [(y2 - y1) / (l2 - l1), (y3 - y1) / (l3 - l1)];
  const c = (g3 - g2) / ((l3 - l2) * (l1 + l2 + l3));
  const b = g2 - c * (l1 * l1 + l1 * l2 + l2 * l2);
  const a = y1 - (b + l1 * l1 * c) * l1;
  return [a, b, c].every(Number.isFinite) ? { a, b, c } : null;
}

/** Temperature of a thermistor by these coefficients, °C; `null` for an open or shorted one. */
export function steinhartHartCelsius(ohms: number, { a, b, c }: SteinhartHart): number | null {
  if (!(ohms > 0) || !Number.isFinite(ohms)) return null;
  const log = Math.log(ohms);
  return 1 / (a + b * log + c * log ** 3) - KELVIN;
}

const PLATINUM = { a: 3.9083e-3, b: -5.775e-7, c: -4.183e-12 } as const;

/** The standard's polynomial, unbounded, as a share of the resistance at 0 °C. */
const platinumShare = (celsius: number): number => {
  const { a, b, c } = PLATINUM;
  return 1 + a * celsius + b * celsius ** 2 + (celsius < 0 ? c * (celsius - 100) * celsius ** 3 : 0);
};

/** Resistance of a platinum resistor with `atZero` Ω at 0 °C, Ω; −200…850 °C, `null` outside. Source: IEC 60751. */
export const platinumOhms = (celsius: number, atZero = 100): number | null =>
  celsius >= -200 && celsius <= 850 ? atZero * platinumShare(celsius) : null;

/** Temperature of a platinum resistor, °C, −200…850; `null` outside, as for an open or shorted one. Source: IEC 60751, inverted. */
export function platinumCelsius(ohms: number, atZero = 100): number | null {
  const share = ohms / atZero;
  if (!(share >= platinumShare(-200) && share <= platinumShare(850))) return null;
  const { a, b } = PLATINUM;
  let celsius = (-a + Math.sqrt(a * a - 4 * b * (1 - share))) / (2 * b);
  // Below zero the cubic term is brought in step by step.
  for (let i = 0; share < 1 && i < 30; i++) {
    const step = (platinumShare(celsius) - share) / (a + 2 * b * celsius);
    celsius -= step;
    if (Math.abs(step) < 1e-9) break;
  }
  return celsius;
}

/** What class A of platinum resistors is allowed, ± °C. Source: IEC 60751. */
export const classAToleranceKelvin = (celsius: number): number => 0.15 + 0.002 * Math.abs(celsius);

/** What class B of platinum resistors is allowed, ± °C. Source: IEC 60751. */
export const classBToleranceKelvin = (celsius: number): number => 0.3 + 0.005 * Math.abs(celsius);

/** Resistance of a sender to ground behind a pull-up, Ω, from its voltage: `null` where it is open (no less than the supply) or shorted. */
export const senderOhms = (volts: number, supplyVolts: number, pullUpOhms: number): number | null =>
  volts > 0 && volts < supplyVolts ? (pullUpOhms * volts) / (supplyVolts - volts) : null;

/** Voltage over a sender of this resistance behind a pull-up, V. */
export const senderVolts = (ohms: number, supplyVolts: number, pullUpOhms: number): number => (supplyVolts * ohms) / (ohms + pullUpOhms);

/** The line through two pairs; ends may be reversed, as a sender's are, and nothing is clamped: what lies outside tells of a fault. `null` where both have one x. */
export const lineThrough = (x: number, [x0, y0]: readonly [number, number], [x1, y1]: readonly [number, number]): number | null =>
  x0 === x1 ? null : y0 + ((x - x0) * (y1 - y0)) / (x1 - x0);
