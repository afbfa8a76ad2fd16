import { DATE_ORDERS, LINE_PROBLEMS, SEPARATORS, type LineProblem } from '@dewpost/core/import';
import * as z from 'zod';
import { endpoint, rawEndpoint, rowId } from './endpoint';

/** Whose clock the file kept: `UTC`, `site`, or a distance from UTC as `+01:00`; `null`: not said yet. */
export const importClockSchema = z.string().regex(/^(UTC|site|[+-]\d{2}:\d{2})$/, 'UTC, site, or a distance from UTC as +01:00');

export const importSettingsSchema = z.object({
  separator: z.enum(SEPARATORS),
  decimalComma: z.boolean(),
  dateOrder: z.enum(DATE_ORDERS),
  /** Which column holds the time, counted from 0; `null`: none was found. */
  timeColumn: z.number().int().min(0).nullable(),
  clock: importClockSchema.nullable(),
  /** Whose column becomes which point, as `node/point`. */
  map: z.array(z.object({ column: z.number().int().min(0).max(999), point: z.string().max(140) })).max(200),
});
export type ImportSettings = z.output<typeof importSettingsSchema>;

export const importSchema = z.object({
  id: z.number().int(),
  name: z.string(),
  bytes: z.number(),
  /** `reading`: looked through, nothing is stored · `read`: waits for *keep* · `keeping` · `kept` · `removing` · `failed`. */
  state: z.enum(['reading', 'read', 'keeping', 'kept', 'removing', 'failed']),
  /** Share of the file that has been gone through, 0…1. */
  progress: z.number(),
  /** What went wrong, and what to do. */
  error: z.string().nullable(),
  settings: importSettingsSchema,
  /** What speaks for what was noticed. */
  evidence: z.object({ separator: z.string(), decimal: z.string(), order: z.string() }),
  columns: z.array(z.string()),
  /** First lines below the heads. */
  sample: z.array(z.array(z.string())),
  /** What still has to be said before it can be kept. */
  asks: z.array(z.string()),
  lines: z.number().int(),
  /** Readings that are, or would be, kept; of them bad. */
  readings: z.number().int(),
  bad: z.number().int(),
  /** Lowest and highest of each column that becomes a point. */
  found: z.array(z.object({ point: z.string(), low: z.number(), high: z.number(), count: z.number().int() })),
  problems: z.array(
    z.object({
      problem: z.enum(Object.keys(LINE_PROBLEMS) as [LineProblem, ...LineProblem[]]),
      words: z.string(),
      count: z.number().int(),
      /** The first line with it, counted from 1, and what stands there. */
      line: z.number().int(),
      text: z.string(),
    }),
  ),
  from: z.number().nullable(),
  to: z.number().nullable(),
  madeBy: z.string(),
  madeAt: z.number(),
});
export type Import = z.output<typeof importSchema>;

const byId = z.object({ id: rowId });

export const imports = {
  list: endpoint({
    method: 'get',
    path: '/api/v1/imports',
    door: 'account',
    summary: 'Files of readings taken in, newest first',
    reply: z.array(importSchema),
  }),
  add: rawEndpoint({
    method: 'post',
    path: '/api/v1/imports',
    door: 'maker',
    summary:
      'Take in a CSV (text/csv) of readings: `?name=&map=Temp:loft-1/temperature,Hum:loft-1/humidity&time=Time&clock=UTC|site|+01:00&decimal=comma|point&order=year|day|month&keep=true`. What is left out is noticed; the clock never is. Gives the job; a table as we export it needs no map, and neither do JSON Lines (application/x-ndjson: node, point, time, value) and SenML (application/senml+json)',
    gives: 'application/json',
  }),
  one: endpoint({
    method: 'get',
    path: '/api/v1/imports/:id',
    door: 'account',
    summary: 'One of them, with its progress',
    params: byId,
    reply: importSchema,
  }),
  change: endpoint({
    method: 'put',
    path: '/api/v1/imports/:id',
    door: 'maker',
    summary: 'Read it otherwise, before it is kept',
    params: byId,
    body: importSettingsSchema,
    reply: importSchema,
  }),
  keep: endpoint({
    method: 'post',
    path: '/api/v1/imports/:id/keep',
    door: 'maker',
    summary: 'Store its readings, marked as imported',
    params: byId,
    reply: importSchema,
  }),
  remove: endpoint({
    method: 'delete',
    path: '/api/v1/imports/:id',
    door: 'maker',
    summary: 'Cancel it, or take it away later: every reading that came with it goes, and nothing else',
    params: byId,
  }),
};
