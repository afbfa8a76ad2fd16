import { nodeIdSchema, pointNameSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { endpoint, rowId } from './endpoint';
import { namedPlaceSchema } from './plan-schemas';

const inputSchema = z.object({ node: nodeIdSchema, point: pointNameSchema });

/** How a point is computed from others. Names of formulas and their figures: `core/src/derive`. */
const ruleSchema = z.object({
  formula: z.string().min(1, 'choose one').max(40),
  /** In the order that the formula names them; the first says when there is a value. */
  inputs: z.array(inputSchema).min(1, 'choose the points').max(8),
  /** Figures of the formula; what is left out is its usual one. */
  parameters: z.record(z.string().max(40), z.number()).default({}),
  /** Rows of the table that it follows, where its formula wants one; both columns rise. */
  pairs: z
    .array(z.tuple([z.number().min(-1e9).max(1e9), z.number().min(-1e9).max(1e9)]))
    .max(200, '200 rows at most')
    .default([]),
  /** How old a reading of another input may be, s. What is only told when it changes stands however long. */
  toleranceSeconds: z.number().int().min(1, 'a second at least').max(86_400, 'a day at most').default(300),
});

export const computedSchema = ruleSchema.extend({
  /** Its point. */
  id: z.number().int(),
  node: nodeIdSchema,
  name: pointNameSchema,
  version: z.number().int(),
  madeBy: z.string(),
  madeAt: z.number(),
  /** It is computed anew over what is stored, and has come so far, ms; `null`: it is not. */
  anewFrom: z.number().nullable(),
  /** Why it stands still, in words; `null`: it does not. */
  problem: z.string().nullable(),
});
export type Computed = z.output<typeof computedSchema>;

export const computed = {
  list: endpoint({
    method: 'get',
    path: '/api/v1/computed',
    door: 'account',
    summary: 'Points that are computed from others, with how',
    reply: z.array(computedSchema),
  }),
  add: endpoint({
    method: 'post',
    path: '/api/v1/computed',
    door: 'maker',
    summary: 'Compute a point from others, of any nodes: as their readings arrive, and over all that is stored',
    body: ruleSchema.extend({ label: z.string().trim().min(1, 'say what it is').max(80), room: namedPlaceSchema.shape.room }),
    reply: computedSchema,
  }),
  change: endpoint({
    method: 'put',
    path: '/api/v1/computed/:id',
    door: 'maker',
    summary: 'Compute it otherwise: its next version; what is stored is computed anew. `from` is the version that was edited',
    params: z.object({ id: rowId }),
    body: ruleSchema.extend({ from: z.number().int() }),
    reply: computedSchema,
  }),
  remove: endpoint({
    method: 'delete',
    path: '/api/v1/computed/:id',
    door: 'maker',
    summary: 'Take a computed point away, with what was computed; refused while rules or other computed points hang on it',
    params: z.object({ id: rowId }),
    reply: z.object({}),
  }),
};
