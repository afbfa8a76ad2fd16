import * as z from 'zod';
import { endpoint, rowId } from './endpoint';
import { habitSchema } from './judged';
import { alertSchema } from './respond-schemas';
import { pointSchema } from './plan-schemas';

/** What happened at a time beside the readings: a note of somebody, another firmware. */
export const happeningSchema = z.object({
  id: z.number().int(),
  at: z.number(),
  kind: z.enum(['note', 'firmware']),
  text: z.string(),
  /** It is of the whole node, not of one point. */
  ofNode: z.boolean(),
  /** `null`: it happened by itself. */
  by: z.string().nullable(),
});
export type Happening = z.output<typeof happeningSchema>;

export const qualitySchema = z.enum(['good', 'suspect', 'bad']);

/** `[time ms, value, quality 0 good · 1 suspect · 2 bad]` */
export const readingRowSchema = z.tuple([z.number(), z.number(), z.number().int()]);
export type ReadingRow = z.infer<typeof readingRowSchema>;

/** A point's newest reading, its extremes over 24 h and where it stood up to an hour ago. */
export const latestSchema = z.object({
  point: z.number().int(),
  at: z.number(),
  value: z.number(),
  quality: qualitySchema,
  reason: z.string().nullable(),
  low: z.number().nullable(),
  high: z.number().nullable(),
  base: z.object({ at: z.number(), value: z.number() }).nullable(),
});
export type Latest = z.infer<typeof latestSchema>;

export const dashboardSchema = z.object({ slug: z.string(), name: z.string(), points: z.array(z.number().int()) });
export type Dashboard = z.infer<typeof dashboardSchema>;

export const shareSchema = z.object({
  id: z.number().int(),
  label: z.string(),
  dashboard: z.string(),
  createdAt: z.number(),
  endsAt: z.number(),
  revokedAt: z.number().nullable(),
  seenAt: z.number().nullable(),
});
export type Share = z.infer<typeof shareSchema>;

export const historySchema = z.object({
  point: pointSchema.pick({ id: true, label: true, unit: true }),
  /** True where the readings were thinned to the lowest and highest of each stretch. */
  thinned: z.boolean(),
  readings: z.array(readingRowSchema),
  /** Raw value and calibration (its version; 0: none) of each, where they were asked for. */
  raw: z.array(z.tuple([z.number(), z.number().int()])).optional(),
});

/** `[begin ms, lowest, mean, highest, readings used, of them suspect, bad beside them, late among all, first ms, last ms]`; figures are `null` where nothing is used. */
export const stretchRowSchema = z.tuple([
  z.number(),
  z.number().nullable(),
  z.number().nullable(),
  z.number().nullable(),
  z.number().int(),
  z.number().int(),
  z.number().int(),
  z.number().int(),
  z.number().nullable(),
  z.number().nullable(),
]);
export type StretchRow = z.infer<typeof stretchRowSchema>;

/** A point's record over a span, in about as many stretches as were asked for, and what happened at it meanwhile. */
export const recordSchema = z.object({
  point: pointSchema,
  from: z.number(),
  to: z.number(),
  /** What it was read from; `null`: the readings themselves. */
  level: z.enum(['minute', 'quarter', 'day']).nullable(),
  /** Width of a stretch, ms; days of the site differ. */
  width: z.number(),
  stretches: z.array(stretchRowSchema),
  /** What its node sent within the span before it went live, where that was asked for: in no figure. */
  trials: z.array(stretchRowSchema),
  reportSeconds: z.number(),
  alerts: z.array(alertSchema),
  /** Notes and changes of firmware within the span, newest first. */
  happenings: z.array(happeningSchema),
  /** When outputs were on that rules at this point switch, ms; the newest so many. */
  switched: z.array(z.object({ output: z.number().int(), from: z.number(), to: z.number().nullable() })),
});
export type PointRecord = z.output<typeof recordSchema>;

/** What of a point's record was not good, where, why, and what to do next. Counts are of readings; `bins` divide the span evenly. */
export const pointQualitySchema = z.object({
  point: z.number().int(),
  used: z.number().int(),
  suspect: z.number().int(),
  bad: z.number().int(),
  late: z.number().int(),
  missing: z.number().int(),
  /** Suspect, bad and missing of all that was due, 0…1. */
  share: z.number(),
  /** When its record begins within the span, ms. */
  since: z.number(),
  /** `[place, suspect, bad, missing, late]` of the bins with any of them. */
  bins: z.array(z.tuple([z.number().int(), z.number().int(), z.number().int(), z.number().int(), z.number().int()])),
  cause: z.object({ code: z.string(), words: z.string(), figure: z.string(), next: z.string() }),
});
export type PointQuality = z.output<typeof pointQualitySchema>;

const span = z.object({
  from: z.string().max(40).optional().describe('RFC 3339 or ms since 1970; default one hour before `to`'),
  to: z.string().max(40).optional().describe('RFC 3339 or ms since 1970; default now'),
  max: z.coerce.number().int().min(2).max(20_000).default(2000).describe('at most this many readings'),
  quality: qualitySchema
    .default('bad')
    .describe(
      'the least that a reading is to be: good, suspect (the bad ones are left out), or bad (all of them); stretches leave bad ones out anyhow',
    ),
  level: z
    .enum(['raw', 'minute', 'quarter', 'day'])
    .optional()
    .describe(
      'raw: every reading, its raw value and calibration beside it; else the mean of each minute, quarter of an hour, or day of the site',
    ),
});

export const watch = {
  history: endpoint({
    method: 'get',
    path: '/api/v1/points/:node/:point/readings',
    door: 'account',
    summary: 'Readings of one point, thinned to lowest and highest of each stretch where there are more than `max`',
    params: z.object({ node: z.string(), point: z.string() }),
    query: span,
    reply: historySchema,
  }),
  habit: endpoint({
    method: 'get',
    path: '/api/v1/points/:node/:point/habit',
    door: 'account',
    summary:
      'What is usual at a point by the hour of the week, learnt from its last six weeks; null where an hour was read in fewer than three of them',
    params: z.object({ node: z.string(), point: z.string() }),
    reply: habitSchema,
  }),
  record: endpoint({
    method: 'get',
    path: '/api/v1/points/:node/:point/record',
    door: 'account',
    summary: 'The record of one point over any span: lowest, mean, highest and what was not good of each stretch, with the alerts at it',
    params: z.object({ node: z.string(), point: z.string() }),
    query: span.omit({ level: true, max: true, quality: true }).extend({
      most: z.coerce.number().int().min(20).max(4000).default(750).describe('about so many stretches at most'),
      trials: z.enum(['yes', 'no']).default('no').describe('yes: what came before its node went live as well, apart'),
    }),
    reply: recordSchema,
  }),
  addNote: endpoint({
    method: 'post',
    path: '/api/v1/points/:node/:point/notes',
    door: 'account',
    summary: 'Write a note at a time of a point’s record, or of its whole node',
    params: z.object({ node: z.string().max(64), point: z.string().max(64) }),
    body: z.object({
      at: z.number().min(946_684_800_000, 'since 2000'),
      text: z.string().trim().min(1, 'say what happened').max(300),
      ofNode: z.boolean().default(false),
    }),
    reply: happeningSchema,
  }),
  removeNote: endpoint({
    method: 'delete',
    path: '/api/v1/notes/:id',
    door: 'account',
    summary: 'Take a note away: by whoever wrote it, or a maker',
    params: z.object({ id: rowId }),
    reply: z.object({}),
  }),
  quality: endpoint({
    method: 'get',
    path: '/api/v1/quality',
    door: 'account',
    summary: 'Points by how much of their record is not good, with the likely cause of each and the next step',
    query: z.object({ hours: z.coerce.number().int().min(1).max(2400).default(336) }),
    reply: z.object({ from: z.number(), to: z.number(), bins: z.number().int(), points: z.array(pointQualitySchema) }),
  }),
  shares: endpoint({ method: 'get', path: '/api/v1/shares', door: 'account', summary: 'Share links in use', reply: z.array(shareSchema) }),
  share: endpoint({
    method: 'post',
    path: '/api/v1/shares',
    door: 'maker',
    summary: 'Make a read-only link to one dashboard; the token is shown in this reply only',
    body: z.object({ dashboard: z.string().max(80), label: z.string().trim().min(1).max(60), days: z.number().int().min(1).max(365) }),
    reply: z.object({ share: shareSchema, token: z.string() }),
  }),
  revokeShare: endpoint({
    method: 'delete',
    path: '/api/v1/shares/:id',
    door: 'maker',
    summary: 'End a link at once; open pages close',
    params: z.object({ id: rowId }),
    reply: shareSchema,
  }),
  openShare: endpoint({
    method: 'post',
    path: '/api/v1/shared/session',
    door: 'open',
    summary: 'Exchange the token of a share link for a cookie that reaches /api/v1/shared only',
    body: z.object({ token: z.string().min(20).max(100) }),
    reply: z.object({ dashboard: z.string() }),
  }),
  sharedHistory: endpoint({
    method: 'get',
    path: '/api/v1/shared/readings/:id',
    door: 'share',
    summary: 'Readings of one point of the shared dashboard',
    params: z.object({ id: rowId }),
    query: span,
    reply: historySchema,
  }),
};
