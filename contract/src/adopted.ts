import { isJsonPointer, LONGEST_TOPIC, topicFault } from '@dewpost/core/adopt';
import { nodeIdSchema, pointNameSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { endpoint, rowId } from './endpoint';
import { namedPlaceSchema, pointSchema, shownName } from './plan-schemas';

const factor = z.number().min(-1e12).max(1e12);

/** How one value in the messages of a topic becomes a reading. */
export const mapEntrySchema = z.object({
  topic: z
    .string()
    .max(LONGEST_TOPIC)
    .superRefine((topic, context) => {
      const fault = topicFault(topic);
      if (fault !== null) context.addIssue(fault);
    }),
  /** JSON Pointer (RFC 6901) into the message; none: the whole message is the value. */
  pointer: z.string().max(256).refine(isJsonPointer, 'a JSON Pointer: /temp/top, or /list/0').nullable().default(null),
  point: pointNameSchema,
  /** What people read; as the point is named where it is left out. */
  label: shownName.optional(),
  unit: z.string().trim().max(16),
  factor: factor.refine((value) => value !== 0, 'not 0: every value would be the same').default(1),
  offset: factor.default(0),
  /** Numbers for texts. */
  texts: z.record(z.string().max(64), z.number().min(-1e12).max(1e12)).default({}),
  /** Over what the strip is drawn. */
  min: z.number().min(-1e9).max(1e9).optional(),
  max: z.number().min(-1e9).max(1e9).optional(),
});
export type MapEntryBody = z.output<typeof mapEntrySchema>;

export const leafSchema = z.object({
  pointer: z.string().nullable(),
  value: z.union([z.string(), z.number(), z.boolean(), z.null()]),
});

/** A topic that the node has published to since this server started. */
export const heardTopicSchema = z.object({
  topic: z.string(),
  at: z.number(),
  /** Messages so far. */
  times: z.number().int(),
  /** Between the last two, ms. */
  every: z.number().nullable(),
  retained: z.boolean(),
  kind: z.enum(['number', 'json', 'text', 'unreadable']),
  text: z.string(),
  /** Why it cannot be read. */
  why: z.string().nullable(),
  leaves: z.array(leafSchema),
});
export type HeardTopic = z.output<typeof heardTopicSchema>;

export const adoptedSchema = z.object({
  id: nodeIdSchema,
  account: z.string(),
  filters: z.array(z.string()),
  map: z.array(
    mapEntrySchema
      .required({ label: true, min: true, max: true })
      .extend({ factor: z.number(), offset: z.number(), texts: z.record(z.string(), z.number()) }),
  ),
  heard: z.array(heardTopicSchema),
  /** Messages of the last minute, and of them what was not read because there were too many. */
  perMinute: z.number().int(),
  skipped: z.number().int(),
});
export type Adopted = z.output<typeof adoptedSchema>;

const byId = z.object({ id: z.string().max(64) });

export const adopted = {
  add: endpoint({
    method: 'post',
    path: '/api/v1/adopted',
    door: 'maker',
    summary: 'Adopt a node whose firmware stays as it is: it gets a broker account of its own; the password is shown in this reply',
    body: namedPlaceSchema,
    reply: z.object({ id: nodeIdSchema, account: z.string(), password: z.string() }),
  }),
  read: endpoint({
    method: 'get',
    path: '/api/v1/adopted/:id',
    door: 'account',
    summary: 'What an adopted node says, and what it means: its topics, its map, and what it has published lately',
    params: byId,
    reply: adoptedSchema,
  }),
  setFilters: endpoint({
    method: 'put',
    path: '/api/v1/adopted/:id/filters',
    door: 'maker',
    summary: 'Name the topic filters that an adopted node may publish under: never dp/ nor $, nor what overlaps another account’s',
    params: byId,
    body: z.object({ filters: z.array(z.string().trim().max(LONGEST_TOPIC)).min(1, 'it publishes somewhere').max(16) }),
    reply: adoptedSchema,
  }),
  setMap: endpoint({
    method: 'put',
    path: '/api/v1/adopted/:id/map',
    door: 'maker',
    summary:
      'Say what the messages of an adopted node mean; a point that does not exist yet is made, one that is left out keeps its history',
    params: byId,
    body: z.array(mapEntrySchema).max(200),
    reply: z.array(pointSchema),
  }),
};

export const readerSchema = z.object({
  id: z.number().int(),
  name: z.string(),
  account: z.string(),
  points: z.array(z.number().int()),
  connected: z.number().int(),
  madeBy: z.string(),
  madeAt: z.number(),
});
export type Reader = z.output<typeof readerSchema>;

export const readers = {
  list: endpoint({
    method: 'get',
    path: '/api/v1/readers',
    door: 'maker',
    summary: 'Reading accounts: other screens that listen at the broker',
    reply: z.array(readerSchema),
  }),
  add: endpoint({
    method: 'post',
    path: '/api/v1/readers',
    door: 'maker',
    summary:
      'Make a reading account for other screens: it hears dp/out/{node}/{point} of these points and nothing else; the password is shown in this reply',
    body: z.object({
      name: shownName,
      /** By number, or as {node}/{point}. */
      points: z
        .array(z.union([z.number().int().positive(), z.string().max(100)]))
        .min(1, 'choose at least one point')
        .max(1000),
    }),
    reply: z.object({ id: z.number().int(), account: z.string(), password: z.string(), topics: z.array(z.string()) }),
  }),
  remove: endpoint({
    method: 'delete',
    path: '/api/v1/readers/:id',
    door: 'maker',
    summary: 'End a reading account: it is cut off at once',
    params: z.object({ id: rowId }),
  }),
};
