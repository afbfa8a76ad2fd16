import { bootSchema, ROM_FAMILIES } from '@dewpost/core/rom-loader';
import { nodeConfigurationSchema, nodeIdSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { endpoint, rowId } from './endpoint';
import {
  benchStepSchema,
  stepStateSchema,
  runSchema,
  firmwareSchema,
  byNumber,
  chosenImages,
  holder,
  batchSchema,
} from './provision-schemas';

export const provisionBench = {
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
