import { md5 } from '@noble/hashes/legacy.js';
import { bytesToHex, concatBytes } from '@noble/hashes/utils.js';
import { canonicalJson, type ConfigurationRegion, type FlashPart } from '../manifest';
import { crc32 } from '../serial/crc32';
import { SECTOR_BYTES } from './numbers';

/** What is wrong with where parts and configuration lie, in words; nothing: they can be written. `flashBytes`: of the board. */
export function layoutFaults(
  parts: readonly FlashPart[],
  configuration: ConfigurationRegion | null,
  imageBytes: number,
  flashBytes: number,
): string[] {
  const faults: string[] = [];
  const hex = (at: number): string => `0x${at.toString(16)}`;
  const all = [
    ...parts.map(({ file, at, bytes }) => ({ file, at, bytes })),
    ...(configuration ? [{ file: 'the configuration', ...configuration }] : []),
  ];
  for (const { file, at, bytes } of all) {
    if (at % SECTOR_BYTES !== 0) faults.push(`${file} begins at ${hex(at)}, which is no boundary of a sector (${SECTOR_BYTES} bytes).`);
    if (at + bytes > flashBytes) faults.push(`${file} ends at ${hex(at + bytes)}, and the flash of this board at ${hex(flashBytes)}.`);
  }
  if (configuration && configuration.bytes % SECTOR_BYTES !== 0)
    faults.push(`The configuration has ${configuration.bytes} bytes: whole sectors are wanted.`);
  const sorted = [...all].sort((a, b) => a.at - b.at);
  sorted.forEach((part, i) => {
    const next = sorted[i + 1];
    // A sector is erased whole: what begins in it would be lost.
    const end = Math.ceil((part.at + part.bytes) / SECTOR_BYTES) * SECTOR_BYTES;
    if (next && end > next.at) faults.push(`${part.file} and ${next.file} overlap at ${hex(next.at)}.`);
  });
  const sum = parts.reduce((total, { bytes }) => total + bytes, 0);
  if (sum !== imageBytes) faults.push(`The parts have ${sum} bytes together, the image ${imageBytes}.`);
  return faults;
}

/** The bytes of each part, out of an image that holds them one after the other. */
export function cutParts(image: Uint8Array, parts: readonly FlashPart[]): { part: FlashPart; bytes: Uint8Array }[] {
  let from = 0;
  return parts.map((part) => {
    const bytes = image.subarray(from, from + part.bytes);
    from += part.bytes;
    return { part, bytes };
  });
}

const MAGIC = Uint8Array.from([0x44, 0x50, 0x43, 0x46]);
const VERSION = 1;
const HEAD_BYTES = 12;

/**
 * A node's configuration as its region holds it: `DPCF`, version, length, canonical JSON, CRC-32 of all before, padded with FF to whole
 * sectors. `null` where the region is too small.
 */
export function encodeConfigurationRegion(configuration: unknown, regionBytes: number): Uint8Array | null {
  const json = new TextEncoder().encode(canonicalJson(configuration));
  const head = new Uint8Array(HEAD_BYTES);
  head.set(MAGIC);
  const view = new DataView(head.buffer);
  view.setUint16(4, VERSION, true);
  view.setUint32(8, json.length, true);
  const body = concatBytes(head, json);
  const crc = new Uint8Array(4);
  new DataView(crc.buffer).setUint32(0, crc32(body), true);
  const written = concatBytes(body, crc);
  if (written.length > regionBytes) return null;
  const whole = new Uint8Array(Math.ceil(written.length / SECTOR_BYTES) * SECTOR_BYTES).fill(0xff);
  whole.set(written);
  return whole;
}

/** The configuration that lies in a region, or `null` where none does, or it is damaged. */
export function decodeConfigurationRegion(region: Uint8Array): unknown {
  if (region.length < HEAD_BYTES + 4 || MAGIC.some((byte, i) => region[i] !== byte)) return null;
  const view = new DataView(region.buffer, region.byteOffset, region.length);
  const length = view.getUint32(8, true);
  const end = HEAD_BYTES + length;
  if (view.getUint16(4, true) !== VERSION || end + 4 > region.length || view.getUint32(end, true) !== crc32(region.subarray(0, end)))
    return null;
  try {
    return JSON.parse(new TextDecoder().decode(region.subarray(HEAD_BYTES, end)));
  } catch {
    return null;
  }
}

/** MD5 (RFC 1321) as the chip says it: 32 small hexadecimal digits. Proves what was written, against chance and not against anybody. */
export const md5Of = (bytes: Uint8Array): string => bytesToHex(md5(bytes));
