import { hmac } from '@noble/hashes/hmac.js';
import { sha256 } from '@noble/hashes/sha2.js';
import { utf8ToBytes } from '@noble/hashes/utils.js';

/** Kinds of datagram: what a leaf says, and the gateway's answer to it. */
export const DATAGRAM = { word: 0x01, answer: 0x81 } as const;
/** Longest datagram: one that no network on the way cuts up. */
export const DATAGRAM_BYTES = 1200;
const MAGIC = [0x44, 0x50, 1] as const;
const DIGEST_BYTES = 16;
const HEAD_BYTES = 9;

export interface Datagram {
  readonly kind: number;
  /** The leaf's id; in an answer too. */
  readonly leaf: string;
  /** Grows with every word of a leaf, over its restarts; an answer carries that of the word it answers. */
  readonly sequence: number;
  /** UTF-8 text, JSON. */
  readonly body: string;
}

/** Bytes of a datagram of this leaf with a body of so many bytes. */
export const datagramBytes = (leaf: string, bodyBytes: number): number => HEAD_BYTES + leaf.length + bodyBytes + DIGEST_BYTES;

/** HMAC-SHA256 cut to 128 bits. Source: RFC 2104 and RFC 4231; truncation RFC 2104 §5. */
const digestOf = (bytes: Uint8Array, key: string): Uint8Array => hmac(sha256, utf8ToBytes(key), bytes).slice(0, DIGEST_BYTES);

/**
 * A datagram as it is sent: `DP`, version, kind, sequence (u32, little-endian), length of the id, the id, the body, and a keyed
 * digest over all before. Throws `RangeError` where it would be cut up on the way.
 */
export function encodeDatagram(datagram: Datagram, key: string): Uint8Array {
  const leaf = utf8ToBytes(datagram.leaf);
  const body = utf8ToBytes(datagram.body);
  const bytes = new Uint8Array(HEAD_BYTES + leaf.length + body.length + DIGEST_BYTES);
  if (bytes.length > DATAGRAM_BYTES) throw new RangeError(`a datagram has ${DATAGRAM_BYTES} bytes at most, this one ${bytes.length}`);
  bytes.set(MAGIC, 0);
  bytes[3] = datagram.kind;
  new DataView(bytes.buffer).setUint32(4, datagram.sequence, true);
  bytes[8] = leaf.length;
  bytes.set(leaf, HEAD_BYTES);
  bytes.set(body, HEAD_BYTES + leaf.length);
  bytes.set(digestOf(bytes.subarray(0, bytes.length - DIGEST_BYTES), key), bytes.length - DIGEST_BYTES);
  return bytes;
}

/** What a datagram says, before its digest is proved: whose key to prove it with. `null` for what is no datagram. */
export function readDatagram(bytes: Uint8Array): Datagram | null {
  const leafBytes = bytes[8] ?? 0;
  if (bytes.length < HEAD_BYTES + leafBytes + DIGEST_BYTES || bytes.length > DATAGRAM_BYTES) return null;
  if (MAGIC.some((byte, i) => bytes[i] !== byte)) return null;
  const text = new TextDecoder();
  return {
    kind: bytes[3] ?? 0,
    leaf: text.decode(bytes.subarray(HEAD_BYTES, HEAD_BYTES + leafBytes)),
    sequence: new DataView(bytes.buffer, bytes.byteOffset).getUint32(4, true),
    body: text.decode(bytes.subarray(HEAD_BYTES + leafBytes, bytes.length - DIGEST_BYTES)),
  };
}

/** Does this key's holder say so? Compared without telling where it differs. */
export function isProved(bytes: Uint8Array, key: string): boolean {
  if (bytes.length < DIGEST_BYTES) return false;
  const wanted = digestOf(bytes.subarray(0, bytes.length - DIGEST_BYTES), key);
  const given = bytes.subarray(bytes.length - DIGEST_BYTES);
  let differs = 0;
  for (let i = 0; i < DIGEST_BYTES; i++) differs |= (wanted[i] ?? 0) ^ (given[i] ?? 0);
  return differs === 0;
}
