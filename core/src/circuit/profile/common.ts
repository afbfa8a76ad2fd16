import * as z from 'zod';

export const profileId = z.string().regex(/^[a-z0-9][a-z0-9-]{1,60}$/, 'use a–z, 0–9 and hyphen');
export const amount = z.number().nonnegative();
/** Prices from so many on. */
export const priceBreaks = z
  .array(z.object({ from: z.number().int().min(2), price: amount }))
  .max(8)
  .default([]);
/** Where the figures come from: `memory` marks those that are remembered and want checking against the part's own datasheet. */
export const originSchema = z.enum(['memory', 'published', 'measured']);
