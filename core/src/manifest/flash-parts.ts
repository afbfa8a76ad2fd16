import * as z from 'zod';

const place = z
  .number()
  .int()
  .min(0)
  .max(64 * 1024 * 1024);
const size = z
  .number()
  .int()
  .min(1)
  .max(16 * 1024 * 1024);

/** One part of an image that is written whole: where it lies in the flash. The parts lie one after the other in the image's file. */
export const flashPartSchema = z.object({
  file: z.string().min(1).max(80),
  at: place,
  bytes: size,
  sha256: z.string().regex(/^[0-9a-f]{64}$/, '64 small hexadecimal digits'),
});
export type FlashPart = z.output<typeof flashPartSchema>;

/** The region that takes a node's configuration. */
export const configurationRegionSchema = z.object({ at: place, bytes: size });
export type ConfigurationRegion = z.output<typeof configurationRegionSchema>;
