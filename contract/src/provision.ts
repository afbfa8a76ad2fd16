import { lampSpansSchema } from '@dewpost/core/joining';
import { configurationRegionSchema, flashPartSchema } from '@dewpost/core/manifest';
import { bootSchema, ROM_FAMILIES } from '@dewpost/core/rom-loader';
import { ROLLOUT_NODE_STATES } from '@dewpost/core/update';
import { burstSchema, nodeConfigurationSchema, nodeIdSchema, pointNameSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { endpoint, rowId } from './endpoint';
import { nodeSchema } from './plan';

/** The bench's steps in working order; the first five are done over serial, the last two seen by the server. */
export const BENCH_STEPS = ['check', 'write', 'digest', 'configure', 'join', 'contact', 'readings'] as const;
export const benchStepSchema = z.enum(BENCH_STEPS);
export type BenchStep = z.infer<typeof benchStepSchema>;

/** Every step that the ledger knows: those of the bench, and those over the air. */
export const RUN_STEPS = [...BENCH_STEPS, 'label', 'fit', 'tell', 'fetch', 'start', 'watch'] as const;

export const stepStateSchema = z.enum(['running', 'done', 'failed']);

export const runStepSchema = z.object({
  step: z.enum(RUN_STEPS),
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
  /** How it went to the node. */
  way: z.enum(['serial', 'elsewhere', 'air']),
  /** First readings that have come, of how many, and when the next is due, ms; `null`: none is waited for. */
  first: z.object({ have: z.number().int(), of: z.number().int(), nextAt: z.number() }).nullable(),
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
  /** Patterns of the lamp that the image has of its own. */
  lamp: lampSpansSchema,
  /** The trusted key that signed it; `null`: not signed. */
  signedBy: z.string().nullable(),
  madeBy: z.string(),
  madeAt: z.number(),
  /** Nodes that said they run it. */
  nodes: z.array(z.string()),
  /** Its parts, where it is written whole into a board that holds nothing of ours; `null`: it goes into a slot. */
  parts: z.array(flashPartSchema).nullable(),
  configuration: configurationRegionSchema.nullable(),
});
export type Firmware = z.infer<typeof firmwareSchema>;

const byNode = z.object({ id: z.string().max(64) });
const byNumber = z.object({ id: rowId });

const seconds = z
  .number()
  .positive()
  .max(7 * 86_400);
const minuteOfDay = z.number().int().min(0).max(1440);
export const rolloutRuleSchema = z.object({
  canaries: z.number().int().min(1).max(200),
  shares: z.array(z.number().positive().max(1)).max(10),
  settleSeconds: seconds,
  patienceSeconds: seconds,
  failShare: z.number().min(0).max(1),
  window: z.object({ from: minuteOfDay, to: minuteOfDay }).nullable(),
  rollBack: z.boolean(),
});
export const newRolloutSchema = z.object({
  firmware: z.string().max(160),
  nodes: z.array(nodeIdSchema).min(1).max(500),
  rule: rolloutRuleSchema,
});
export type NewRollout = z.infer<typeof newRolloutSchema>;

export const rolloutSchema = z.object({
  id: z.number().int(),
  firmware: z.string(),
  version: z.string(),
  bytes: z.number().int(),
  by: z.string(),
  madeAt: z.number(),
  endedAt: z.number().nullable(),
  rule: rolloutRuleSchema,
  state: z.enum(['running', 'paused', 'halted', 'going-back', 'rolled-back', 'done']),
  why: z.string(),
  /** How many nodes have begun after each step. */
  sizes: z.array(z.number().int()),
  /** The halting rule's present figure. */
  halting: z.object({ failed: z.number().int(), allowed: z.number().int(), begun: z.number().int() }),
  nodes: z.array(
    z.object({
      node: nodeIdSchema,
      /** From 0; −1: left out at the start. */
      step: z.number().int(),
      state: z.enum(ROLLOUT_NODE_STATES),
      since: z.number(),
      bytes: z.number().int(),
      why: z.string(),
    }),
  ),
});
export type Rollout = z.infer<typeof rolloutSchema>;

/** Images by board. */
const chosenImages = z.record(z.string().max(64), z.string().max(160));
/** A page that works on a batch, by a name of its own that survives its reload. */
const holder = z.string().min(8).max(64);
export const batchSchema = z.object({
  id: z.number().int(),
  by: z.string(),
  madeAt: z.number(),
  state: z.enum(['running', 'paused', 'cancelled', 'done']),
  /** Until when a page holds it; in the past: nobody does. */
  heldUntil: z.number(),
  /** Images chosen, by board; a board left out gets its newest. */
  firmware: z.record(z.string(), z.string()),
  nodes: z.array(
    z.object({
      node: nodeIdSchema,
      result: z.enum(['waiting', 'running', 'proved', 'stopped']),
      /** The node through which it reaches the site: that one is written first. */
      gateway: nodeIdSchema.nullable(),
    }),
  ),
});
export type Batch = z.infer<typeof batchSchema>;

export const fitReplySchema = z.object({
  /** How long the signal is looked at. */
  seconds: z.number(),
  fittedAt: z.number().nullable(),
  fittedBy: z.string().nullable(),
  needs: z.array(
    z.object({
      id: z.string(),
      kind: z.enum(['signal', 'supply', 'reading', 'self-test', 'contact', 'output']),
      point: z.string().nullable(),
      label: z.string(),
      state: z.enum(['open', 'running', 'passed', 'failed', 'not-possible']),
      detail: z.string(),
      by: z.string().nullable(),
      at: z.number().nullable(),
      /** What to try at the part. */
      selfTest: z.string().nullable(),
      caution: z.string().nullable(),
      /** Offered against a hand instrument. */
      tolerance: z.number().nullable(),
    }),
  ),
  /** Levels since it was asked, dBm. */
  levels: z.array(z.object({ at: z.number(), dbm: z.number() })),
  askedUntil: z.number().nullable(),
  /** Least volts of its supply, and what it said itself. */
  supply: z.object({ least: z.number(), battery: z.boolean(), said: z.number().nullable() }),
  photos: z.array(z.object({ id: z.number().int(), at: z.number(), by: z.string(), note: z.string() })),
});
export type FitReply = z.infer<typeof fitReplySchema>;

/** All that is on record of how one node was put up. */
export const reportSchema = z.object({
  node: nodeSchema,
  sheet: z.string(),
  version: z.number().int(),
  /** The newest run that wrote it and what came over the air since, newest first. */
  runs: z.array(runSchema),
  fit: fitReplySchema,
  /** Steps of its assembly, and those that were ticked off. */
  steps: z.array(z.object({ id: z.string(), text: z.string() })),
  ticks: z.array(z.object({ step: z.string(), by: z.string(), at: z.number() })),
});
export type Report = z.infer<typeof reportSchema>;

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
  report: endpoint({
    method: 'get',
    path: '/api/v1/nodes/:id/report',
    door: 'account',
    summary: 'How one node was put up: its runs, what was proved in place, its assembly',
    params: byNode,
    reply: reportSchema,
  }),
  preflight: endpoint({
    method: 'post',
    path: '/api/v1/provision/preflight',
    door: 'maker',
    summary:
      'Look at nodes before they are written: image, slot, store, networks, address, broker, thresholds, sheet. What fails keeps a node from being written',
    body: z.object({ nodes: z.array(nodeIdSchema).min(1).max(200), firmware: chosenImages.default({}) }),
    reply: z.array(
      z.object({
        node: nodeIdSchema,
        /** Profile of its board, and the image it is to be written with. */
        board: z.string().nullable(),
        image: z.string().nullable(),
        /** How its board gets its first image. */
        firstWrite: z.enum(['this protocol', ...ROM_FAMILIES, 'written elsewhere']),
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
    body: z.object({ nodes: z.array(nodeIdSchema).min(1).max(200), holder, firmware: chosenImages.default({}) }),
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
  rollouts: endpoint({
    method: 'get',
    path: '/api/v1/provision/rollouts',
    door: 'account',
    summary: 'Images on their way through the fleet, newest first',
    reply: z.array(rolloutSchema),
  }),
  beginRollout: endpoint({
    method: 'post',
    path: '/api/v1/provision/rollouts',
    door: 'maker',
    summary: 'Send an image through the fleet, canaries first; nodes that cannot take it are left out, each with its reason',
    body: newRolloutSchema,
    reply: rolloutSchema,
  }),
  setRollout: endpoint({
    method: 'put',
    path: '/api/v1/provision/rollouts/:id',
    door: 'maker',
    summary: 'Pause a rollout, go on with it, or take back what it has changed',
    params: byNumber,
    body: z.object({ wish: z.enum(['pause', 'go-on', 'roll-back']) }),
    reply: rolloutSchema,
  }),
  setInterval: endpoint({
    method: 'put',
    path: '/api/v1/nodes/interval',
    door: 'maker',
    summary: 'Change how often nodes report; they are told over the air and confirm the new revision',
    body: z.object({ nodes: z.array(nodeIdSchema).min(1).max(500), reportSeconds: z.number().min(1).max(86_400) }),
    reply: z.object({ changed: z.number().int() }),
  }),
  setGateway: endpoint({
    method: 'put',
    path: '/api/v1/nodes/:id/gateway',
    door: 'maker',
    summary: 'List a node under a gateway as a leaf, or under none; it is to be written again',
    params: byNode,
    body: z.object({
      gateway: nodeIdSchema.nullable(),
      /** `null`: as the plan says for all leaves. */
      burst: burstSchema.nullable().default(null),
    }),
  }),
  replaceBoard: endpoint({
    method: 'post',
    path: '/api/v1/nodes/:id/replace',
    door: 'maker',
    summary:
      'Retire a node’s board: its keys are worthless at once, and the next board written as this node takes over name, points, history and dashboards',
    params: byNode,
  }),
  rotateKeys: endpoint({
    method: 'post',
    path: '/api/v1/nodes/keys/rotate',
    door: 'maker',
    summary: 'Give nodes new keys over the air; each old key works until its new one has been used',
    body: z.object({ nodes: z.array(nodeIdSchema).min(1).max(500) }),
    reply: z.object({ rotating: z.array(nodeIdSchema), not: z.array(z.object({ node: nodeIdSchema, why: z.string() })) }),
  }),
  revokeKey: endpoint({
    method: 'post',
    path: '/api/v1/nodes/:id/keys/revoke',
    door: 'maker',
    summary: 'Make a node’s keys worthless at once: it is cut off until it is written again',
    params: z.object({ id: z.string().max(64) }),
  }),
  labels: endpoint({
    method: 'get',
    path: '/api/v1/provision/labels',
    door: 'maker',
    summary: 'What stands on nodes’ labels beside their names: their set-up networks with their passwords',
    reply: z.array(z.object({ node: nodeIdSchema, setupNetwork: z.string(), setupPassword: z.string() })),
  }),
  labelled: endpoint({
    method: 'post',
    path: '/api/v1/provision/labels',
    door: 'account',
    summary: 'Say that labels of these nodes were printed: a step of their newest run',
    body: z.object({ nodes: z.array(nodeIdSchema).min(1).max(500) }),
  }),
  fit: endpoint({
    method: 'get',
    path: '/api/v1/nodes/:id/fit',
    door: 'account',
    summary: 'What is proved of a node in place, and what is still needed before it is armed',
    params: byNode,
    reply: fitReplySchema,
  }),
  removePhoto: endpoint({
    method: 'delete',
    path: '/api/v1/nodes/:id/photos/:photo',
    door: 'account',
    summary: 'Take a photo of a node away',
    params: byNode.extend({ photo: rowId }),
    reply: fitReplySchema,
  }),
  askSignal: endpoint({
    method: 'post',
    path: '/api/v1/nodes/:id/fit/signal',
    door: 'account',
    summary: 'Ask a node to tell its level and supply once a second; they are judged when the time is over',
    params: byNode,
    reply: fitReplySchema,
  }),
  blink: endpoint({
    method: 'post',
    path: '/api/v1/nodes/:id/blink',
    door: 'account',
    summary: 'Let a node’s lamp blink for ten seconds, to find it',
    params: byNode,
    reply: z.object({ asked: z.boolean() }),
  }),
  watchContact: endpoint({
    method: 'post',
    path: '/api/v1/nodes/:id/fit/contact',
    door: 'account',
    summary: 'Wait a minute for a contact to change; the time from act to message is measured from now',
    params: byNode,
    body: z.object({ point: pointNameSchema }),
    reply: fitReplySchema,
  }),
  operate: endpoint({
    method: 'post',
    path: '/api/v1/nodes/:id/fit/operate',
    door: 'account',
    summary: 'Operate an output for a few seconds while it is being fitted; it obeys every guard',
    params: byNode,
    body: z.object({ point: pointNameSchema, on: z.boolean() }),
    reply: fitReplySchema,
  }),
  fitCheck: endpoint({
    method: 'post',
    path: '/api/v1/nodes/:id/fit/checks',
    door: 'account',
    summary:
      'Tell what was seen in place: a reading by hand, volts at the board, an output that moved. All settled: the node is armed, but for what hangs on a check that was not possible',
    params: byNode,
    body: z.discriminatedUnion('kind', [
      z.object({ kind: z.literal('signal'), dbm: z.number().min(-130).max(0) }),
      z.object({ kind: z.literal('supply'), volts: z.number().min(0).max(60) }),
      z.object({ kind: z.literal('reading'), point: pointNameSchema, hand: z.number(), tolerance: z.number().positive() }),
      z.object({ kind: z.literal('output'), point: pointNameSchema, seen: z.boolean() }),
      /** It follows the hand: touched, breathed on, shaded, tipped. */
      z.object({ kind: z.literal('self-test'), point: pointNameSchema, seen: z.boolean() }),
      /** It cannot be made, and why: the rest is armed without what hangs on it. */
      z.object({
        kind: z.literal('not-possible'),
        need: z.string().max(64),
        because: z.string().trim().min(3, 'say why').max(200),
      }),
    ]),
    reply: fitReplySchema,
  }),
  begin: endpoint({
    method: 'post',
    path: '/api/v1/provision/runs',
    door: 'maker',
    summary: 'Begin writing one node with the image named, or the newest for its board; the reply holds its configuration with its secrets',
    body: z.object({ node: nodeIdSchema, firmware: z.string().max(160).nullable().default(null) }),
    reply: z.object({
      run: runSchema,
      firmware: firmwareSchema,
      configuration: nodeConfigurationSchema,
      /** How a board that holds nothing of ours is written; `null`: its profile knows no loader. */
      fresh: z
        .object({
          family: z.enum(ROM_FAMILIES),
          boot: bootSchema,
          flashBytes: z.number().int(),
          /** The image for it; `null`: the library has none. */
          firmware: firmwareSchema.nullable(),
        })
        .nullable(),
    }),
  }),
  elsewhere: endpoint({
    method: 'post',
    path: '/api/v1/provision/elsewhere',
    door: 'maker',
    summary: 'A node is written by another tool chain with its exported configuration: it comes to the bench at Join',
    body: z.object({ node: nodeIdSchema }),
    reply: runSchema,
  }),
  step: endpoint({
    method: 'post',
    path: '/api/v1/provision/runs/:id/steps',
    door: 'maker',
    summary: 'Tell how a step went; a failed one ends the run',
    params: z.object({ id: rowId }),
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
