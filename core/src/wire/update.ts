import * as z from 'zod';
import { manifestSchema } from '../manifest';

const sha256 = z.string().regex(/^[0-9a-f]{64}$/);

/**
 * An image that a node is told to run, in `set`: its manifest, and where it lies. What a node has refused, or fell back from, it tries
 * again only when it is offered under another `id`.
 */
export const offerSchema = z.object({
  id: z.string().max(40),
  manifest: manifestSchema,
  from: z.url().max(300),
});
export type Offer = z.infer<typeof offerSchema>;

/** How far a node is with an image that it was offered, in `have`. */
export const updateReportSchema = z.object({
  sha256,
  state: z.enum(['safe', 'fetching', 'proved', 'starting', 'kept', 'fell-back', 'refused']),
  /** Bytes that it holds, while it fetches. */
  bytes: z.number().int().nonnegative().optional(),
  /** With `safe`, said before anything is written: its outputs are in their fail-safe state; what of its second radio. */
  secondRadio: z.enum(['off', 'none']).optional(),
  why: z.string().max(200).optional(),
});
export type UpdateReport = z.infer<typeof updateReportSchema>;
