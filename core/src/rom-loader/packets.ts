import { concatBytes } from '@noble/hashes/utils.js';
import { slipEncode } from '../serial/slip';
import { CHECKSUM_SEED, ROM } from './numbers';

/** One request or answer, without its SLIP frame. */
export interface RomPacket {
  readonly answer: boolean;
  readonly command: number;
  /** A request's checksum, an answer's value. */
  readonly value: number;
  readonly data: Uint8Array;
}

/** XOR over the payload, seeded; of data packets only. */
export const checksumOf = (payload: Uint8Array): number => payload.reduce((sum, byte) => sum ^ byte, CHECKSUM_SEED);

/** 32-bit numbers one after the other, little-endian. */
export function words(...values: readonly number[]): Uint8Array {
  const bytes = new Uint8Array(values.length * 4);
  const view = new DataView(bytes.buffer);
  values.forEach((value, i) => view.setUint32(i * 4, value >>> 0, true));
  return bytes;
}

/** A packet as bytes, without its SLIP frame. */
export function encodePacket({ answer, command, value, data }: RomPacket): Uint8Array {
  const head = new Uint8Array(8);
  const view = new DataView(head.buffer);
  head[0] = answer ? 1 : 0;
  head[1] = command;
  view.setUint16(2, data.length, true);
  view.setUint32(4, value >>> 0, true);
  return concatBytes(head, data);
}

/** A packet out of a SLIP frame; `null` where it is none: text of the chip, say, or cut short. */
export function decodePacket(bytes: Uint8Array): RomPacket | null {
  if (bytes.length < 8 || (bytes[0] !== 0 && bytes[0] !== 1)) return null;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  const length = view.getUint16(2, true);
  if (bytes.length !== 8 + length || !Object.values<number>(ROM).includes(bytes[1] ?? 0)) return null;
  return { answer: bytes[0] === 1, command: bytes[1] ?? 0, value: view.getUint32(4, true), data: bytes.slice(8) };
}

/** A request as it goes on the line. */
export const request = (command: number, data: Uint8Array, checksum = 0): Uint8Array =>
  slipEncode(encodePacket({ answer: false, command, value: checksum, data }));

/** The sync request's data. */
export const syncData = (): Uint8Array => Uint8Array.from([0x07, 0x07, 0x12, 0x20, ...Array.from({ length: 32 }, () => 0x55)]);
