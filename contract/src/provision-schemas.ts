import { lampSpansSchema } from '@dewpost/core/joining';
import { configurationRegionSchema, flashPartSchema } from '@dewpost/core/manifest';
import { ROLLOUT_NODE_STATES } from '@dewpost/core/update';
import { nodeIdSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { rowId } from './endpoint';
import { nodeSchema } from './plan-schemas';

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

export const byNode = z.object({ id: z.string().max(64) });
export const byNumber = z.object({ id: rowId });

export const seconds = z
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
export const chosenImages = z.record(z.string().max(64), z.string().max(160));
/** A page that works on a batch, by a name of its own that survives its reload. */
export const holder = z.string().min(8).max(64);
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
