import { ROM_FAMILIES } from '@dewpost/core/rom-loader';
import { burstSchema, nodeConfigurationSchema, nodeIdSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { endpoint } from './endpoint';
import {
  runSchema,
  firmwareSchema,
  byNode,
  byNumber,
  newRolloutSchema,
  rolloutSchema,
  chosenImages,
  reportSchema,
  trustedKeySchema,
} from './provision-schemas';
import { provisionFit } from './provision-fit';
import { provisionBench } from './provision-bench';

export const provision = {
  ...provisionBench,
  ...provisionFit,
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
};
