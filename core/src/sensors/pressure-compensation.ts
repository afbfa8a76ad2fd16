/** Factory coefficients of the older barometric sensor, as its memory holds them. */
export interface ElevenCoefficients {
  readonly ac1: number;
  readonly ac2: number;
  readonly ac3: number;
  readonly ac4: number;
  readonly ac5: number;
  readonly ac6: number;
  readonly b1: number;
  readonly b2: number;
  readonly mc: number;
  readonly md: number;
}

/** What that sensor's arithmetic goes through, as its datasheet prints it. */
export interface ElevenResult {
  readonly x1: number;
  readonly x2: number;
  readonly b5: number;
  readonly b6: number;
  readonly b3: number;
  readonly b4: number;
  /** Pressure before the last correction, and after it, Pa. */
  readonly first: number;
  readonly pascals: number;
  readonly tenthsCelsius: number;
}

/**
 * Temperature and pressure of the older sensor in whole numbers, `oss` its oversampling 0…3. Its printed example comes from shifts, which
 * round down; `divide` is there because other code cuts towards zero and is 1 Pa off.
 */
export function elevenCompensated(
  c: ElevenCoefficients,
  temperature: number,
  pressure: number,
  oss: 0 | 1 | 2 | 3,
  divide: (value: number) => number = Math.floor,
): ElevenResult {
  const x1 = divide(((temperature - c.ac6) * c.ac5) / 2 ** 15);
  const x2 = divide((c.mc * 2 ** 11) / (x1 + c.md));
  const b5 = x1 + x2;
  const tenthsCelsius = divide((b5 + 8) / 16);
  const b6 = b5 - 4000;
  const x3 = divide((c.b2 * divide((b6 * b6) / 2 ** 12)) / 2 ** 11) + divide((c.ac2 * b6) / 2 ** 11);
  const b3 = divide(((c.ac1 * 4 + x3) * 2 ** oss + 2) / 4);
  const x4 = divide((divide((c.ac3 * b6) / 2 ** 13) + divide((c.b1 * divide((b6 * b6) / 2 ** 12)) / 2 ** 16) + 2) / 4);
  const b4 = divide((c.ac4 * (x4 + 32_768)) / 2 ** 15);
  // Unsigned, and past 32 bits: plain numbers hold it exactly.
  const b7 = (pressure - b3) * (50_000 / 2 ** oss);
  const first = b7 < 2 ** 31 ? divide((b7 * 2) / b4) : divide(b7 / b4) * 2;
  const y1 = divide((divide(first / 2 ** 8) ** 2 * 3038) / 2 ** 16);
  const y2 = divide((-7357 * first) / 2 ** 16);
  return { x1, x2, b5, b6, b3, b4, first, pascals: first + divide((y1 + y2 + 3791) / 16), tenthsCelsius };
}

/** Factory coefficients of the newer barometric sensors: three of temperature, nine of pressure. */
export interface TwelveCoefficients {
  readonly t: readonly [number, number, number];
  readonly p: readonly [number, number, number, number, number, number, number, number, number];
}

/** What both sides of the newer arithmetic share: the fine temperature. */
export function fineTemperature({ t: [t1, t2, t3] }: TwelveCoefficients, code: number): number {
  const high = (code / 16_384 - t1 / 1024) * t2;
  const low = (code / 131_072 - t1 / 8192) ** 2 * t3;
  return high + low;
}

/** Temperature of the newer sensors, °C. */
export const twelveCelsius = (coefficients: TwelveCoefficients, code: number): number => fineTemperature(coefficients, code) / 5120;

/** Pressure of the newer sensors in floating point, Pa, from its fine temperature, not cut short; `null` where the coefficients cannot be. */
export function twelvePascals({ p: [p1, p2, p3, p4, p5, p6, p7, p8, p9] }: TwelveCoefficients, fine: number, code: number): number | null {
  let v1 = fine / 2 - 64_000;
  let v2 = (v1 * v1 * p6) / 32_768 + v1 * p5 * 2;
  v2 = v2 / 4 + p4 * 65_536;
  v1 = ((p3 * v1 * v1) / 524_288 + p2 * v1) / 524_288;
  v1 = (1 + v1 / 32_768) * p1;
  if (v1 === 0) return null;
  const p = ((1_048_576 - code - v2 / 4096) * 6250) / v1;
  return p + ((p9 * p * p) / 2_147_483_648 + (p * p8) / 32_768 + p7) / 16;
}

/** The same in whole numbers of 64 bits: hundredths of °C, and Pa in 256ths. */
export function twelveWhole(
  { t, p }: TwelveCoefficients,
  temperature: number,
  pressure: number,
): { celsius: number; pascals256: number | null } {
  const [t1, t2, t3] = t.map(BigInt) as [bigint, bigint, bigint];
  const [p1, p2, p3, p4, p5, p6, p7, p8, p9] = p.map(BigInt) as [bigint, bigint, bigint, bigint, bigint, bigint, bigint, bigint, bigint];
  const code = BigInt(temperature);
  const half = (code >> 4n) - t1;
  const fine = ((((code >> 3n) - (t1 << 1n)) * t2) >> 11n) + ((((half * half) >> 12n) * t3) >> 14n);
  const celsius = Number((fine * 5n + 128n) >> 8n);
  let v1 = fine - 128_000n;
  let v2 = v1 * v1 * p6;
  v2 += (v1 * p5) << 17n;
  v2 += p4 << 35n;
  v1 = ((v1 * v1 * p3) >> 8n) + ((v1 * p2) << 12n);
  v1 = (((1n << 47n) + v1) * p1) >> 33n;
  if (v1 === 0n) return { celsius, pascals256: null };
  let value = 1_048_576n - BigInt(pressure);
  value = (((value << 31n) - v2) * 3125n) / v1;
  v1 = (p9 * (value >> 13n) * (value >> 13n)) >> 25n;
  v2 = (p8 * value) >> 19n;
  return { celsius, pascals256: Number(((value + v1 + v2) >> 8n) + (p7 << 4n)) };
}
