import { LEGS } from '@dewpost/core/proof';
import * as z from 'zod';
import { endpoint, rowId } from './endpoint';

export const tripTestSchema = z.object({
  id: z.number().int(),
  threshold: z.number().int(),
  version: z.number().int(),
  /** What it proves, in words, as they were then. */
  title: z.string(),
  node: z.string(),
  by: z.string(),
  how: z.enum(['setpoint', 'by hand']),
  /** The setpoint of the test, and what the point read when it began. */
  setpoint: z.number(),
  value: z.number(),
  /** The lower end of a band, and the setpoint of a second condition, where the test had to move these. */
  low: z.number().nullable(),
  alsoSetpoint: z.number().nullable(),
  /** What it switches, in words; `null`: nothing. */
  output: z.string().nullable(),
  begunAt: z.number(),
  /** When it ends by itself, whatever happened. */
  until: z.number(),
  phase: z.enum(['waiting', 'tripped', 'putting back', 'over']),
  endedAt: z.number().nullable(),
  endedWhy: z.string().nullable(),
  /** `null`: not over yet. */
  passed: z.boolean().nullable(),
  legs: z.array(
    z.object({
      leg: z.enum(LEGS),
      ms: z.number().nullable(),
      limitMs: z.number(),
      passed: z.boolean(),
      /** What hindered it, where that is known. */
      detail: z.string().nullable(),
    }),
  ),
});
export type TripTest = z.output<typeof tripTestSchema>;

/** A rule as it can, or cannot, be proved now. */
export const provableSchema = z.object({
  threshold: z.number().int(),
  /** Why it cannot be now; `null`: it can. */
  hindered: z.string().nullable(),
  how: z.enum(['setpoint', 'by hand']).nullable(),
  /** The setpoint that the test would use. */
  setpoint: z.number().nullable(),
  value: z.number().nullable(),
  low: z.number().nullable(),
  alsoSetpoint: z.number().nullable(),
  /** Its newest test, whatever came of it, and when one passed last. */
  last: tripTestSchema.nullable(),
  passedAt: z.number().nullable(),
  /** When it is due to be proved again; `null`: it never was. */
  dueAt: z.number().nullable(),
});
export type Provable = z.output<typeof provableSchema>;

const byId = z.object({ id: rowId });

export const tripTests = {
  list: endpoint({
    method: 'get',
    path: '/api/v1/trip-tests',
    door: 'account',
    summary:
      'Every rule with its last trip test, when the next is due, and whether it could be run now; and the tests before, newest first',
    reply: z.object({
      running: tripTestSchema.nullable(),
      rules: z.array(provableSchema),
      before: z.array(tripTestSchema),
    }),
  }),
  begin: endpoint({
    method: 'post',
    path: '/api/v1/thresholds/:id/trip-test',
    door: 'maker',
    summary:
      'Prove a rule on its real node: its setpoint is put just beyond the present value (a contact is moved by hand), its delays are left out, what it switches really moves, and everything is put back. One test at a time',
    params: byId,
    /** `clear`: somebody is there, and nobody is in reach of what will move. */
    body: z.object({ clear: z.literal(true, 'say that nobody is in reach of what will move') }),
    reply: tripTestSchema,
  }),
  stop: endpoint({
    method: 'delete',
    path: '/api/v1/trip-tests/:id',
    door: 'account',
    summary: 'Stop a running test and put everything back; anybody of the house may',
    params: byId,
    reply: tripTestSchema,
  }),
};
