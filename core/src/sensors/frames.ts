/** What a humidity and temperature frame says, and whether its sum is right. */
export interface AirFrame {
  readonly percent: number;
  readonly celsius: number;
  readonly sumRight: boolean;
}

const sumRight = (bytes: Uint8Array): boolean => bytes.slice(0, 4).reduce((sum, byte) => sum + byte, 0) % 256 === bytes[4];
const at = (bytes: Uint8Array, i: number): number => bytes[i] ?? 0;

/** A 40-bit frame in tenths; its temperature has a sign bit of its own and is no two's complement. `null` where it has not five bytes. */
export function airFrameInTenths(bytes: Uint8Array): AirFrame | null {
  if (bytes.length !== 5) return null;
  const size = (((at(bytes, 2) & 0x7f) << 8) | at(bytes, 3)) / 10;
  return { percent: ((at(bytes, 0) << 8) | at(bytes, 1)) / 10, celsius: at(bytes, 2) & 0x80 ? -size : size, sumRight: sumRight(bytes) };
}

/** The older 40-bit frame: whole figures, and tenths in bytes of their own; the sign is the top bit of the tenths. */
export function airFrameInBytes(bytes: Uint8Array): AirFrame | null {
  if (bytes.length !== 5) return null;
  const size = at(bytes, 2) + (at(bytes, 3) & 0x7f) / 10;
  return { percent: at(bytes, 0) + at(bytes, 1) / 10, celsius: at(bytes, 3) & 0x80 ? -size : size, sumRight: sumRight(bytes) };
}

/** Temperature of a one-wire thermometer, °C, from its 16-bit register: sixteenths, two's complement. 85 °C is what it says before it has measured. */
export const thermometerCelsius = (register: number): number => ((register << 16) >> 16) / 16;

/** Temperature, °C, from the 16-bit word of a humidity sensor on the two-wire bus: −45 + 175·S/65535. */
export const airWordCelsius = (word: number): number => -45 + (175 * word) / 65_535;

/** Humidity, %, from such a word: 100·S/65535. */
export const airWordPercent = (word: number): number => Math.min(100, Math.max(0, (100 * word) / 65_535));
