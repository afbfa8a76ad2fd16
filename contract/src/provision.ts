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
  hardwareId: z.string().nullable(),
  steps: z.array(runStepSchema),
});
export type Run = z.infer<typeof runSchema>;

export const firmwareSchema = z.object({
  id: z.string(),
  version: z.string(),
  board: z.string(),
  bytes: z.number().int(),
  sha256: z.string().regex(/^[0-9a-f]{64}$/),
});
export type Firmware = z.infer<typeof firmwareSchema>;

export const provision = {
  firmware: endpoint({
    method: 'get',
    path: '/api/v1/firmware',
    door: 'maker',
    summary: 'Firmware images; each lies at /api/v1/firmware/{id}/image',
    reply: z.array(firmwareSchema),
  }),
  runs: endpoint({
    method: 'get',
    path: '/api/v1/provision/runs',
    door: 'account',
    summary: 'The ledger: every attempt to write a node, newest first',
    reply: z.array(runSchema),
  }),
  begin: endpoint({
    method: 'post',
    path: '/api/v1/provision/runs',
    door: 'maker',
    summary: 'Begin writing one node; the reply holds its configuration with its secrets',
    body: z.object({ node: nodeIdSchema, firmware: z.string().max(64) }),
    reply: z.object({ run: runSchema, configuration: nodeConfigurationSchema }),
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
