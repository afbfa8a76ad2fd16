import * as z from 'zod';
import { lampSpansSchema } from '../joining';
import { configurationRegionSchema, flashPartSchema } from './flash-parts';
import { semverSchema } from './semver';

const name = z.string().regex(/^[a-z0-9][a-z0-9-]{0,31}$/, 'use a–z, 0–9 and hyphen, 32 at most');

/** What stands beside an image: what it is, for which board, and how it is proved. One JSON file an image. */
export const manifestSchema = z.object({
  format: z.literal(1),
  name,
  version: semverSchema,
  /** Profile of the board it was made for. */
  board: z.string().regex(/^[a-z0-9][a-z0-9-]{1,60}$/),
  bytes: z
    .number()
    .int()
    .min(256, 'an image has 256 bytes at least')
    .max(16 * 1024 * 1024, 'an image has 16 MB at most'),
  sha256: z.string().regex(/^[0-9a-f]{64}$/, '64 small hexadecimal digits'),
  /** The oldest configuration that it reads. */
  minimumRevision: z.number().int().min(1).default(1),
  notes: z.string().max(2000).default(''),
  /** Patterns of the lamp that differ from the usual ones. */
  lamp: lampSpansSchema.optional(),
  /** It is written whole into a board that holds nothing of ours: its parts, which lie one after the other in the file. */
  parts: z.array(flashPartSchema).min(1).max(16).optional(),
  /** Where it takes a node's configuration from. */
  configuration: configurationRegionSchema.optional(),
  /** Over the manifest without it, in its canonical form: Ed25519, Base64. */
  signature: z
    .base64()
    .refine((text) => text.length === 88, 'an Ed25519 signature has 64 bytes')
    .nullable()
    .default(null),
});
export type Manifest = z.infer<typeof manifestSchema>;

/**
 * JSON as one text that everyone makes alike: no spaces, keys in the order of their UTF-16 code units, numbers as ECMAScript
 * writes them. Throws `TypeError` for what JSON cannot hold. Source: RFC 8785 (JCS).
 */
export function canonicalJson(value: unknown): string {
  if (value === null || typeof value === 'boolean' || typeof value === 'string') return JSON.stringify(value);
  if (typeof value === 'number') {
    if (!Number.isFinite(value)) throw new TypeError('JSON holds no number that is not finite');
    return JSON.stringify(value);
  }
  if (Array.isArray(value)) return `[${value.map(canonicalJson).join(',')}]`;
  if (typeof value === 'object') {
    const entries = Object.entries(value).filter(([, part]) => part !== undefined);
    entries.sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0));
    return `{${entries.map(([key, part]) => `${JSON.stringify(key)}:${canonicalJson(part)}`).join(',')}}`;
  }
  throw new TypeError(`JSON holds no ${typeof value}`);
}

/** The text that a manifest's signature is over. */
export function signedText(manifest: Manifest): string {
  const { signature: _, ...rest } = manifest;
  return canonicalJson(rest);
}
