import { decodeUp, decodeUpBody, type Sample } from '@dewpost/core/wire';
import type { Received, Verdict } from './batch';

/** A sample with the message it came in. */
export interface Decoded extends Sample {
  message: number;
}

/** Reads every message's body; what cannot be read is refused in its verdict. */
export function decode(messages: readonly Received[], verdicts: readonly Verdict[]): Decoded[] {
  return messages.flatMap((received, message) => {
    const { node, body, arrivedAt } = received;
    const read = typeof body === 'string' ? decodeUp(body, node.name, arrivedAt) : decodeUpBody(body, node.name, arrivedAt);
    verdicts[message]?.refused.push(...read.refusals);
    return read.samples.map((sample) => ({ ...sample, message }));
  });
}
