import { crc32 } from './crc32';
import { slipEncode } from './slip';

/** Kinds of frame; an answer carries its request's kind with the high bit set. */
export const FRAME = { identify: 1, begin: 2, chunk: 3, finish: 4, configure: 5, restart: 6, blink: 7, log: 0x70 } as const;
export type RequestKind = Exclude<keyof typeof FRAME, 'log'>;
export const ANSWER = 0x80;

/** First byte of an answer's payload. */
export const STATUS = {
  ok: 0,
  badFrame: 1,
  badOrder: 2,
  badOffset: 3,
  digestMismatch: 4,
  tooLarge: 5,
  badConfiguration: 6,
  storeFull: 7,
  windowClosed: 8,
} as const;
export type StatusName = keyof typeof STATUS;

/** Most image bytes in one chunk frame. */
export const CHUNK_BYTES = 1024;

export interface Frame {
  kind: number;
  /** Number of the request, echoed by its answer; wraps at 256. */
  sequence: number;
  payload: Uint8Array;
}

/** kind, sequence, payload, CRC-32 of all before (little-endian), then SLIP. */
export function encodeFrame(frame: Frame): Uint8Array {
  const packet = new Uint8Array(frame.payload.length + 6);
  packet[0] = frame.kind;
  packet[1] = frame.sequence & 0xff;
  packet.set(frame.payload, 2);
  new DataView(packet.buffer).setUint32(packet.length - 4, crc32(packet.subarray(0, packet.length - 4)), true);
  return slipEncode(packet);
}

/** The frame in one SLIP packet, or `null` when it is too short or its CRC does not match. */
export function decodeFrame(packet: Uint8Array): Frame | null {
  if (packet.length < 6) return null;
  const body = packet.subarray(0, packet.length - 4);
  const sent = new DataView(packet.buffer, packet.byteOffset + body.length, 4).getUint32(0, true);
  if (sent !== crc32(body)) return null;
  return { kind: body[0] as number, sequence: body[1] as number, payload: body.slice(2) };
}

/** The name of a status byte; an unknown one is a bad frame. */
export function statusName(byte: number | undefined): StatusName {
  const found = (Object.keys(STATUS) as StatusName[]).find((name) => STATUS[name] === byte);
  return found ?? 'badFrame';
}
