import { nodeIdSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { endpoint } from './endpoint';

/** Intake takes readings that are up to 30 days old: the month before the last whole one is over for every node. */
const LEAST_MONTHS = 2;

/** How many whole months of raw readings are kept before the current one; `null`: all of them. */
export const monthsKept = z
  .number()
  .int('whole months')
  .min(LEAST_MONTHS, `${LEAST_MONTHS} months at least`)
  .max(600, 'at most 600 months')
  .nullable();

export const keptSchema = z.object({
  version: z.number().int(),
  months: monthsKept,
  /** Raw readings before that are gone, ms; `null`: none are. */
  rawFrom: z.number().nullable(),
  /** What is stored, a month each, oldest first: how much room it takes, how many points and days it has. */
  stored: z.array(z.object({ month: z.string(), bytes: z.number(), points: z.number().int(), days: z.number().int() })),
  /** Room that everything else takes, bytes: what is rolled up, alerts, logs. */
  otherBytes: z.number(),
  /** Nodes that went live at a time, and how many readings of before lie there as trials. */
  live: z.array(z.object({ node: nodeIdSchema, since: z.number(), trials: z.number().int() })),
});
export type Kept = z.infer<typeof keptSchema>;

export const nodeFactSchema = z.object({
  at: z.number(),
  /** Of its battery, or of its supply where it says so. */
  volts: z.number().nullable(),
  rssiDbm: z.number().int().nullable(),
});
export type NodeFact = z.infer<typeof nodeFactSchema>;

export const upkeep = {
  facts: endpoint({
    method: 'get',
    path: '/api/v1/nodes/:id/facts',
    door: 'account',
    summary: 'What a node said of its supply and signal at each start, oldest first',
    params: z.object({ id: nodeIdSchema }),
    reply: z.array(nodeFactSchema),
  }),
  kept: endpoint({
    method: 'get',
    path: '/api/v1/kept',
    door: 'maker',
    summary: 'How long raw readings are kept, what is stored by month, and which nodes went live when',
    reply: keptSchema,
  }),
  keep: endpoint({
    method: 'put',
    path: '/api/v1/kept',
    door: 'maker',
    summary:
      'Keep raw readings for so many whole months before the current one; `drops` names the months that go by that, as shown: others are a 409. What is rolled up stays',
    body: z.object({ from: z.number().int().min(0), months: monthsKept, drops: z.array(z.string()).max(1200) }),
    reply: keptSchema,
  }),
  goLive: endpoint({
    method: 'put',
    path: '/api/v1/nodes/live',
    door: 'maker',
    summary: 'Say since when nodes are live, in ms: what they sent before were trials, in no figure. `null`: all of it counts',
    body: z.object({ nodes: z.array(nodeIdSchema).min(1).max(500), since: z.number().int().min(0).nullable() }),
    reply: keptSchema,
  }),
  removeTrials: endpoint({
    method: 'delete',
    path: '/api/v1/nodes/:id/trials',
    door: 'maker',
    summary: 'Delete the readings that a node sent before it went live',
    params: z.object({ id: nodeIdSchema }),
    reply: z.object({ removed: z.number().int() }),
  }),
};
