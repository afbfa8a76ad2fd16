import { decodeUp, decodeUpBody, type Decoded } from '@dewpost/core/wire';
import type { Received } from './batch';
import { readCbor } from './cbor';

/** Reads a message's body, at its arrival: what cannot be read is among its refusals. Never throws. */
export function decode({ node, body, arrivedAt }: Pick<Received, 'node' | 'body' | 'arrivedAt'>): Decoded {
  if (typeof body === 'string') return decodeUp(body, node.name, arrivedAt);
  if (!(body instanceof Uint8Array)) return decodeUpBody(body, node.name, arrivedAt);
  try {
    return decodeUpBody(readCbor(body), node.name, arrivedAt);
  } catch (error) {
    return { samples: [], refusals: [{ point: null, why: error instanceof Error ? error.message : String(error) }] };
  }
}
