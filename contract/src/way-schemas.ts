import { READ_BY, templateFault } from '@dewpost/core/alarm';
import { nodeIdSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { severitySchema } from './respond-schemas';

const wayRules = {
  name: z.string().trim().min(1, 'give it a name').max(60),
  /** The least severity that goes by it. */
  least: severitySchema.default('advisory'),
  notices: z.boolean().default(true),
};
const webhookSchema = z.object({
  kind: z.literal('webhook'),
  ...wayRules,
  url: z.url({ protocol: /^https?$/, error: 'an address such as https://example.org/hook' }).max(500),
  /** What is posted, in JSON with `{title}`, `{text}` and so on in its strings; `null`: all fields of the message. */
  template: z
    .string()
    .max(4000)
    .nullable()
    .default(null)
    .superRefine((template, context) => {
      const fault = template === null ? null : templateFault(template);
      if (fault !== null) context.addIssue(fault);
    }),
});
const mailSchema = z.object({
  kind: z.literal('mail'),
  ...wayRules,
  host: z.string().trim().min(1).max(253),
  port: z.number().int().min(1).max(65_535).default(587),
  /** TLS from the first byte (465), or as soon as it is offered (587); `none` for a server of the building that has none. */
  tls: z.enum(['at once', 'offered', 'none']).default('offered'),
  user: z.string().max(200).default(''),
  password: z.string().max(200).default(''),
  from: z.email('a mail address'),
  to: z.array(z.email('a mail address')).min(1).max(10),
});
/** A node that said in its hello how it can speak: its sounder, its lamp, its display. */
const nodeWaySchema = z.object({ kind: z.literal('node'), ...wayRules, node: nodeIdSchema });
/** A browser that was subscribed (Push API): its address at its push service, and the keys that messages to it are encrypted with (RFC 8291). */
const pushSchema = z.object({
  kind: z.literal('push'),
  ...wayRules,
  endpoint: z.url({ protocol: /^https?$/, error: 'the address that the browser gave' }).max(1000),
  /** A point on P-256, uncompressed, and a secret of 16 bytes, both in base64url. */
  keys: z.object({
    p256dh: z.string().regex(/^[\w-]{87}$/, '65 bytes in base64url'),
    auth: z.string().regex(/^[\w-]{22}$/, '16 bytes in base64url'),
  }),
});
/** Whichever pages somebody has open: a phone in the building, where no certificate lets it be pushed to. */
const pageWaySchema = z.object({ kind: z.literal('page'), ...wayRules, account: z.string().min(1).max(60) });
export const newWaySchema = z.discriminatedUnion('kind', [webhookSchema, mailSchema, nodeWaySchema, pushSchema, pageWaySchema]);
export type NewWay = z.output<typeof newWaySchema>;

export const waySchema = z.object({
  id: z.number().int(),
  kind: z.enum(['webhook', 'mail', 'node', 'push', 'page']),
  name: z.string(),
  /** Where it goes, without secrets. */
  to: z.string(),
  least: severitySchema,
  notices: z.boolean(),
  madeBy: z.string(),
  madeAt: z.number(),
  /** When something last arrived by it, and when and why something last did not. */
  provedAt: z.number().nullable(),
  failedAt: z.number().nullable(),
  failure: z.string().nullable(),
});
export type Way = z.output<typeof waySchema>;

/** What a rule would say at its limit, as it reads by each way. */
export const messagePreviewSchema = z.object({
  title: z.string(),
  text: z.string(),
  reads: z.array(z.object({ by: z.enum(READ_BY), head: z.string(), body: z.string() })),
});
export type MessagePreview = z.output<typeof messagePreviewSchema>;
