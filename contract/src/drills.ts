import { DRILLS } from '@dewpost/core/proof';
import * as z from 'zod';
import { endpoint, rowId } from './endpoint';

export const drillSchema = z.object({
  id: z.number().int(),
  kind: z.enum(DRILLS),
  by: z.string(),
  begunAt: z.number(),
  endedAt: z.number().nullable(),
  endedWhy: z.string().nullable(),
  /** `null`: not over yet. */
  passed: z.boolean().nullable(),
  steps: z.array(
    z.object({
      what: z.string(),
      limitMs: z.number(),
      notBeforeMs: z.number(),
      ms: z.number().nullable(),
    }),
  ),
});
export type Drill = z.output<typeof drillSchema>;
const drillListSchema = z.object({
  /** Why none can be; `null`: they can. */
  hindered: z.string().nullable(),
  running: drillSchema.nullable(),
  before: z.array(drillSchema),
});
export type DrillList = z.output<typeof drillListSchema>;

export const drills = {
  list: endpoint({
    method: 'get',
    path: '/api/v1/drills',
    door: 'account',
    summary: 'What can be drilled on stand-ins, the drill under way, and those before, newest first',
    reply: drillListSchema,
  }),
  begin: endpoint({
    method: 'post',
    path: '/api/v1/drills/:kind',
    door: 'maker',
    summary: 'Let something go wrong at stand-ins, and wait for what has to follow; everything is put back. One at a time',
    params: z.object({ kind: z.enum(DRILLS) }),
    reply: drillSchema,
  }),
  stop: endpoint({
    method: 'delete',
    path: '/api/v1/drills/:id',
    door: 'account',
    summary: 'Stop a drill and put everything back; anybody of the house may',
    params: z.object({ id: rowId }),
    reply: drillSchema,
  }),
};
