import { unknownFields } from '@dewpost/core/forward';
import { isTopicName } from '@dewpost/core/traffic';
import * as z from 'zod';
import { endpoint, rowId } from './endpoint';
import { shownName } from './plan-schemas';

const template = (longest: number) =>
  z
    .string()
    .max(longest)
    .superRefine((text, context) => {
      const unknown = unknownFields(text);
      if (unknown.length > 0) context.addIssue(`{${unknown[0]}} stands for nothing here`);
    });

/** What a receiver takes: so many messages in so long, so many readings and bytes in each. */
export const forwardCapSchema = z.object({
  /** Messages in a window; `null`: as many as come. */
  sends: z.number().int().min(1).max(1000).nullable().default(null),
  windowSeconds: z.number().int().min(1).max(86_400).default(900),
  records: z.number().int().min(1).max(1000).default(100),
  bytes: z.number().int().min(100).max(1_000_000).default(100_000),
});

const common = {
  name: shownName,
  /** By number, or as {node}/{point}. */
  points: z
    .array(z.union([z.number().int().positive(), z.string().max(100)]))
    .min(1, 'choose at least one point')
    .max(1000),
  cap: forwardCapSchema.prefault({}),
  /** Readings wait as long while the receiver is away; older ones are never sent. */
  keepHours: z.number().int().min(1, 'at least an hour').max(720, 'at most 30 days').default(72),
  /** Certificates (PEM) of the authority that the receiver’s certificate is from, where that is not a public one. */
  authority: z
    .string()
    .trim()
    .max(20_000)
    .refine(
      (text) => text === '' || /^-----BEGIN CERTIFICATE-----[\s\S]+-----END CERTIFICATE-----$/.test(text),
      'a certificate as PEM text',
    )
    .default(''),
};
const address = (schemes: RegExp, example: string) =>
  z
    .url({ protocol: schemes, error: `an address such as ${example}` })
    .max(500)
    .refine((url) => !/^[a-z]+:\/\/[^/?#]*@/i.test(url), 'no user and no password in the address: they have fields of their own');

export const forwardToBrokerSchema = z.object({
  kind: z.literal('mqtt'),
  ...common,
  url: address(/^mqtts?$/, 'mqtts://broker.example.org:8883'),
  user: z.string().max(200).default(''),
  /** Left out at a change: the one there is. */
  password: z.string().max(500).optional(),
  topic: template(500)
    .refine((topic) => isTopicName(topic), 'a topic without + and #')
    .default('{node}/{point}'),
  payload: template(2000).default('{value}'),
});
export const forwardByPostSchema = z.object({
  kind: z.literal('http'),
  ...common,
  url: address(/^https?$/, 'https://example.org/readings'),
  /** Goes as `Authorization`. Left out at a change: the one there is. */
  password: z
    .string()
    .max(2000)
    .regex(/^[\x20-\x7e]*$/, 'printable characters only')
    .optional(),
  body: z.object({
    contentType: z
      .string()
      .max(100)
      .regex(/^[a-z]+\/[a-z0-9.+-]+$/i, 'a type such as application/json'),
    before: z.string().max(2000),
    record: template(2000).refine((text) => text.trim() !== '', 'what is written for a reading'),
    between: z.string().max(100),
    after: z.string().max(2000),
  }),
});
export const newForwardSchema = z.discriminatedUnion('kind', [forwardToBrokerSchema, forwardByPostSchema]);
export type NewForward = z.output<typeof newForwardSchema>;

export const forwardSchema = z.object({
  id: z.number().int(),
  version: z.number().int(),
  /** What was asked for, without the password. */
  settings: newForwardSchema,
  hasPassword: z.boolean(),
  points: z.array(z.number().int()),
  paused: z.boolean(),
  /** Readings that wait, that arrived, and that grew too old or too many. */
  waiting: z.number().int(),
  sent: z.number().int(),
  dropped: z.number().int(),
  sentAt: z.number().nullable(),
  failedAt: z.number().nullable(),
  failure: z.string().nullable(),
  madeBy: z.string(),
  madeAt: z.number(),
});
export type Forward = z.output<typeof forwardSchema>;

const params = z.object({ id: rowId });

export const forwards = {
  list: endpoint({
    method: 'get',
    path: '/api/v1/forwards',
    door: 'maker',
    summary: 'Where readings are forwarded to, what waits, and what came of the last try',
    reply: z.array(forwardSchema),
  }),
  add: endpoint({
    method: 'post',
    path: '/api/v1/forwards',
    door: 'maker',
    summary:
      'Forward points to another broker (QoS 1) or by HTTP post, within what the receiver takes. Addresses inside the building only where they are allowed by name',
    body: newForwardSchema,
    reply: forwardSchema,
  }),
  change: endpoint({
    method: 'put',
    path: '/api/v1/forwards/:id',
    door: 'maker',
    summary: 'Forward otherwise from now on; what waits goes the new way. Another version in force by now is a 409',
    params,
    body: z.object({ from: z.number().int(), settings: newForwardSchema }),
    reply: forwardSchema,
  }),
  pause: endpoint({
    method: 'post',
    path: '/api/v1/forwards/:id/pause',
    door: 'maker',
    summary: 'Stop sending, or go on: what arises meanwhile waits',
    params,
    body: z.object({ paused: z.boolean() }),
    reply: forwardSchema,
  }),
  test: endpoint({
    method: 'post',
    path: '/api/v1/forwards/:id/test',
    door: 'maker',
    summary: 'Really send the newest reading of its first point, and say how that went',
    params,
    reply: z.object({ delivered: z.boolean(), ms: z.number(), detail: z.string() }),
  }),
  remove: endpoint({
    method: 'delete',
    path: '/api/v1/forwards/:id',
    door: 'maker',
    summary: 'Forward there no more; what waits is not sent',
    params,
  }),
};
