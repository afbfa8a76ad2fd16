import { decodeUp, decodeUpBody, type Decoded } from '@dewpost/core/wire';
import type { Received } from './batch';

/** Reads a message's body, at its arrival: what cannot be read is among its refusals. Never throws. */
export function decode({ node, body, arrivedAt }: Pick<Received, 'node' | 'body' | 'arrivedAt'>): Decoded {
  return typeof body === 'string' ? decodeUp(body, node.name, arrivedAt) : decodeUpBody(body, node.name, arrivedAt);
}
