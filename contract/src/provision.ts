import { nodeConfigurationSchema, nodeIdSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { endpoint } from './endpoint';

/** The bench's steps in working order; the first five are done over serial, the last two seen by the server. */
export const BENCH_STEPS = ['check', 'write', 'digest', 'configure', 'join', 'contact', 'readings'] as const;
export const benchStepSchema = z.enum(BENCH_STEPS);
export type BenchStep = z.infer<typeof benchStepSchema>;

export const stepStateSchema = z.enum(['running', 'done', 'failed']);

export const runStepSchema = z.object({
  step: benchStepSchema,
  state: stepStateSchema,
  at: z.number(),
  ms: z.number().nullable(),
  detail: z.string(),
  code: z.string().nullable(),
});

export const runSchema = z.object({
  id: z.number().int(),
  node: nodeIdSchema,
  by: z.string(),
  startedAt: z.number(),
  endedAt: z.number().nullable(),
  result: z.enum(['running', 'proved', 'stopped']),
  firmware: z.string(),
  imageSha256: z.string().nullable(),
  configurationSha256: z.string().nullable(),
  hardwareId: z.string().nullable(),
  steps: z.array(runStepSchema),
});
export type Run = z.infer<typeof runSchema>;

export const firmwareSchema = z.object({
  id: z.string(),
  name: z.string(),
  version: z.string(),
  /** Profile of the board it is made for. */
  board: z.string(),
  bytes: z.number().int(),
  sha256: z.string().regex(/^[0-9a-f]{64}$/),
  minimumRevision: z.number().int(),
  notes: z.string(),
  /** The trusted key that signed it; `null`: not signed. */
  signedBy: z.string().nullable(),
  madeBy: z.string(),
  madeAt: z.number(),
  /** Nodes that said they run it. */
  nodes: z.array(z.string()),
});
export type Firmware = z.infer<typeof firmwareSchema>;

/** A page that works on a batch, by a name of its own that survives its reload. */
const holder = z.string().min(8).max(64);
export const batchSchema = z.object({
  id: z.number().int(),
  by: z.string(),
  madeAt: z.number(),
  state: z.enum(['running', 'paused', 'cancelled', 'done']),
  /** Until when a page holds it; in the past: nobody does. */
  heldUntil: z.number(),
  nodes: z.array(z.object({ node: nodeIdSchema, result: z.enum(['waiting', 'running', 'proved', 'stopped']) })),
});
export type Batch = z.infer<typeof batchSchema>;
const byNumber = z.object({ id: z.coerce.number().int() });

export const trustedKeySchema = z.object({ name: z.string(), publicKey: z.string(), addedBy: z.string(), addedAt: z.number() });
export type TrustedKey = z.infer<typeof trustedKeySchema>;

export const provision = {
  firmware: endpoint({
    method: 'get',
    path: '/api/v1/firmware',
    door: 'maker',
    summary: 'Firmware images; each lies at /api/v1/firmware/{id}/image',
    reply: z.array(firmwareSchema),
  }),
  trustedKeys: endpoint({
    method: 'get',
    path: '/api/v1/trusted-keys',
    door: 'maker',
    summary: 'Keys whose signatures on images are trusted',
    reply: z.array(trustedKeySchema),
  }),
  addTrustedKey: endpoint({
    method: 'post',
    path: '/api/v1/trusted-keys',
    door: 'maker',
    summary: 'Trust a key: Ed25519, Base64 of its 32 bytes',
    body: z.object({
      name: z.string().trim().min(1, 'the key needs a name').max(60),
      publicKey: z.base64().length(44, 'an Ed25519 key has 32 bytes, 44 characters of Base64'),
    }),
    reply: z.array(trustedKeySchema),
  }),
  removeTrustedKey: endpoint({
    method: 'delete',
    path: '/api/v1/trusted-keys/:name',
    door: 'maker',
    summary: 'Trust a key no longer; images it signed stay',
    params: z.object({ name: z.string().max(60) }),
    reply: z.array(trustedKeySchema),
  }),
  configuration: endpoint({
    method: 'get',
    path: '/api/v1/nodes/:id/configuration',
    door: 'account',
    summary:
      'What a node is to hold, without its secrets, and where it differs from what was last written to it; with them at …/json, …/header, …/csv',
    params: z.object({ id: z.string().max(64) }),
    reply: z.object({
      revision: z.number().int(),
      digest: z.string(),
      configuration: nodeConfigurationSchema,
      /** Something was written before. */
      held: z.boolean(),
      differences: z.array(z.object({ key: z.string(), before: z.string().nullable(), after: z.string().nullable() })),
      /** Its key is still sealed, so that the whole can be handed out. */
      downloadable: z.boolean(),
    }),
  }),
  runs: endpoint({
    method: 'get',
    path: '/api/v1/provision/runs',
    door: 'account',
    summary: 'The ledger: every attempt to write a node, newest first',
    reply: z.array(runSchema),
  }),
  preflight: endpoint({
    method: 'post',
    path: '/api/v1/provision/preflight',
    door: 'maker',
    summary:
      'Look at nodes before they are written: image, slot, store, networks, address, broker, thresholds, sheet. What fails keeps a node from being written',
    body: z.object({ nodes: z.array(nodeIdSchema).min(1).max(200) }),
    reply: z.array(
      z.object({
        node: nodeIdSchema,
        checks: z.array(z.object({ verdict: z.enum(['pass', 'warn', 'fail']), title: z.string(), detail: z.string() })),
      }),
    ),
  }),
  batches: endpoint({
    method: 'get',
    path: '/api/v1/provision/batches',
    door: 'account',
    summary: 'Batches, newest first, with how far each node is',
    reply: z.array(batchSchema),
  }),
  beginBatch: endpoint({
    method: 'post',
    path: '/api/v1/provision/batches',
    door: 'maker',
    summary: 'Begin a batch and hold it; a node that another page is writing in a batch of its own is refused',
    body: z.object({ nodes: z.array(nodeIdSchema).min(1).max(200), holder }),
    reply: batchSchema,
  }),
  holdBatch: endpoint({
    method: 'post',
    path: '/api/v1/provision/batches/:id/hold',
    door: 'maker',
    summary: 'Hold a batch for the next 20 s, or take up one that nobody holds any more',
    params: byNumber,
    body: z.object({ holder }),
    reply: batchSchema,
  }),
  setBatch: endpoint({
    method: 'put',
    path: '/api/v1/provision/batches/:id',
    door: 'maker',
    summary: 'Pause, go on with, or cancel a batch; what is under way is not cut off',
    params: byNumber,
    body: z.object({ holder, state: z.enum(['running', 'paused', 'cancelled']) }),
    reply: batchSchema,
  }),
  begin: endpoint({
    method: 'post',
    path: '/api/v1/provision/runs',
    door: 'maker',
    summary: 'Begin writing one node with the image named, or the newest for its board; the reply holds its configuration with its secrets',
    body: z.object({ node: nodeIdSchema, firmware: z.string().max(160).nullable().default(null) }),
    reply: z.object({ run: runSchema, firmware: firmwareSchema, configuration: nodeConfigurationSchema }),
  }),
  step: endpoint({
    method: 'post',
    path: '/api/v1/provision/runs/:id/steps',
    door: 'maker',
    summary: 'Tell how a step went; a failed one ends the run',
    params: z.object({ id: z.coerce.number().int() }),
    body: z.object({
      step: benchStepSchema,
      state: stepStateSchema,
      ms: z.number().nonnegative().nullable(),
      detail: z.string().max(500),
      code: z.string().max(40).nullable(),
      hardwareId: z.string().max(64).optional(),
    }),
    reply: runSchema,
  }),
};
