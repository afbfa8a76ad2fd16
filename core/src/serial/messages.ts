import * as z from 'zod';

/** What a board says of itself when asked to identify. */
export const identitySchema = z.object({
  hardwareId: z.string().min(4).max(64),
  board: z.string().max(64),
  loader: z.string().max(32),
  slotBytes: z.number().int().positive(),
  /** Seconds for which it still takes settings; `null`: for ever. A gateway takes them only in its first minutes. */
  windowSeconds: z.number().nullable().default(null),
  /** SHA-256 of the proved image that its slot holds; a run that stopped later need not write it again. */
  holds: z
    .string()
    .regex(/^[0-9a-f]{64}$/)
    .nullable()
    .default(null),
});
export type Identity = z.infer<typeof identitySchema>;

/** A line of the serial log: milliseconds since start, a tag and text. `code` names what a fault was, for the remedy. */
export const serialLogSchema = z.object({
  ms: z.number(),
  tag: z.string().max(16),
  text: z.string().max(300),
  code: z.string().max(40).optional(),
  /** Networks heard, with a scan. */
  heard: z
    .array(z.object({ name: z.string().max(32), dbm: z.number() }))
    .max(40)
    .optional(),
});
export type SerialLog = z.infer<typeof serialLogSchema>;

/** Payload of `begin`: image size (u32), SHA-256 (32 bytes), then the version as UTF-8. */
export function encodeBegin(size: number, sha256: Uint8Array, version: string): Uint8Array {
  if (sha256.length !== 32) throw new RangeError('a SHA-256 has 32 bytes');
  const name = new TextEncoder().encode(version);
  const payload = new Uint8Array(36 + name.length);
  new DataView(payload.buffer).setUint32(0, size, true);
  payload.set(sha256, 4);
  payload.set(name, 36);
  return payload;
}

/** Answer to `begin`: bytes of this very image that the slot holds already, from the start. */
export function encodeHeld(bytes: number): Uint8Array {
  const payload = new Uint8Array(4);
  new DataView(payload.buffer).setUint32(0, bytes, true);
  return payload;
}

/** Bytes held, from the answer to `begin`; a loader that says nothing holds none. */
export const decodeHeld = (payload: Uint8Array): number =>
  payload.length < 4 ? 0 : new DataView(payload.buffer, payload.byteOffset).getUint32(0, true);

/** Reads a `begin` payload; `null` when it is too short. */
export function decodeBegin(payload: Uint8Array): { size: number; sha256: Uint8Array; version: string } | null {
  if (payload.length < 36) return null;
  const size = new DataView(payload.buffer, payload.byteOffset).getUint32(0, true);
  return { size, sha256: payload.slice(4, 36), version: new TextDecoder().decode(payload.subarray(36)) };
}

/** Payload of `chunk`: offset (u32), then the bytes. */
export function encodeChunk(offset: number, bytes: Uint8Array): Uint8Array {
  const payload = new Uint8Array(4 + bytes.length);
  new DataView(payload.buffer).setUint32(0, offset, true);
  payload.set(bytes, 4);
  return payload;
}

/** Reads a `chunk` payload; `null` when it is too short. */
export function decodeChunk(payload: Uint8Array): { offset: number; bytes: Uint8Array } | null {
  if (payload.length < 4) return null;
  return { offset: new DataView(payload.buffer, payload.byteOffset).getUint32(0, true), bytes: payload.subarray(4) };
}
