import * as z from 'zod';

/** A place on a board seen from above, its USB socket to the left: shares of its length from there, and of its width from the top. */
const placeSchema = z.tuple([z.number().min(0).max(1), z.number().min(0).max(1)]);

/** How a board comes into the loader in its chip, and where its buttons are, for a person who has to press them. */
export const bootSchema = z.object({
  way: z.enum(['two transistors', 'usb inside', 'button']),
  button: z.string().max(40).default('BOOT'),
  where: z.string().max(120).default(''),
  /** The button that resets it, by what is printed beside it. */
  reset: z.string().max(40).default('RST'),
  /** Where the two buttons sit. Boards differ: what is drawn is said to be the profile's. */
  at: placeSchema.default([0.2, 0.76]),
  resetAt: placeSchema.default([0.2, 0.24]),
});
export type Boot = z.infer<typeof bootSchema>;
