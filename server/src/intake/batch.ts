import type { Quality } from '@dewpost/core/alarm';
import type { Decoded } from '@dewpost/core/wire';
import type { NodeEntry, PointEntry } from '../model/entries';

/** One `up` message as it arrived from an authenticated node. */
export interface Received {
  node: NodeEntry;
  /** JSON as text, CBOR as bytes, or what is parsed already (a form, a query). */
  body: string | Uint8Array | Record<string, unknown>;
  arrivedAt: number;
  /** What was read from the body. */
  decoded: Decoded;
}

export interface Refused {
  point: string | null;
  why: string;
}

/** What was decided of one message: every record stored, or refused with a reason. */
export interface Verdict {
  stored: number;
  duplicates: number;
  refused: Refused[];
  /** The node's clock is off: it is told the time. */
  clockOff: boolean;
}

/** Flags beside the quality, as bits. */
export const FLAG = { late: 1, clock: 2, imported: 4, corrected: 8 } as const;

/** A record on its way in; steps fill it in. */
export interface Item {
  /** Which message of the batch it came with. */
  message: number;
  point: PointEntry;
  at: number;
  raw: number;
  value: number;
  flags: number;
  quality: Quality;
  reason: string | null;
  arrivedAt: number;
  /** What a derived reading was computed from. */
  inputs?: readonly Item[];
}

export const QUALITY_CODE: Record<Quality, number> = { good: 0, suspect: 1, bad: 2 };
export const REASON_CODE = ['', 'out-of-range', 'not-a-number', 'spike', 'stuck', 'rail', 'supply', 'fault'] as const;

export const emptyVerdict = (): Verdict => ({ stored: 0, duplicates: 0, refused: [], clockOff: false });
