import * as z from 'zod';
import { endpoint } from './endpoint';

export const reachedAddressSchema = z.object({
  url: z.string(),
  /** For people, or for nodes. */
  what: z.enum(['page', 'broker']),
  tls: z.boolean(),
  /** How far it reaches: nothing but this computer, the building, or from outside. */
  reach: z.enum(['computer', 'building', 'outside']),
  /** People who came in by it since the server started, and nodes connected by it now. */
  people: z.number().int(),
  nodes: z.number().int(),
  /** Its certificate is for this name; `null`: no TLS of ours. */
  certified: z.boolean().nullable(),
});
export type ReachedAddress = z.output<typeof reachedAddressSchema>;

export const certificateSchema = z.object({
  names: z.array(z.string()),
  from: z.number(),
  until: z.number(),
  daysLeft: z.number().int(),
  fingerprint: z.string(),
  issuer: z.string(),
  /** Why the files as they are now could not be taken. */
  problem: z.string().nullable(),
});

export const reachingSchema = z.object({
  addresses: z.array(reachedAddressSchema),
  certificate: certificateSchema.nullable(),
  /** Listens for this computer only. */
  loopbackOnly: z.boolean(),
  /** What nodes are told, and whether a node elsewhere could reach that. */
  nodeAddress: z.string(),
  nodeAddressReaches: z.boolean(),
  publicOrigins: z.array(z.string()),
  trustedProxies: z.array(z.string()),
  httpPort: z.number().int(),
});
export type Reaching = z.output<typeof reachingSchema>;

export const CHECK_STEPS = ['name', 'port', 'certificate', 'answer'] as const;
export const checkReplySchema = z.object({
  url: z.string(),
  /** Where its name leads. */
  leadsTo: z.array(z.string()),
  steps: z.array(
    z.object({
      step: z.enum(CHECK_STEPS),
      state: z.enum(['passed', 'failed', 'not reached', 'not needed']),
      ms: z.number(),
      text: z.string(),
    }),
  ),
  ok: z.boolean(),
  cause: z.string().nullable(),
  next: z.string().nullable(),
});
export type CheckReply = z.output<typeof checkReplySchema>;

export const reaching = {
  read: endpoint({
    method: 'get',
    path: '/api/v1/reaching',
    door: 'maker',
    summary: 'Under which addresses this server is reached, how far each reaches, and who comes in by it',
    reply: reachingSchema,
  }),
  check: endpoint({
    method: 'post',
    path: '/api/v1/reaching/check',
    door: 'maker',
    summary: 'Ask this server under an address, and say where that stops; other machines of the building are not asked',
    body: z.object({
      url: z.url({ protocol: /^https?$/, error: 'an address such as https://mill.example' }).max(300),
    }),
    reply: checkReplySchema,
  }),
};
