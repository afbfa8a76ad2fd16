import { pointNameSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { endpoint } from './endpoint';
import { namedPlaceSchema, newNodeReplySchema, pointSchema } from './plan-schemas';

/** A point of a source, as somebody declares it: nothing follows from a part, so that its range is only what it is shown over. */
export const sourcePointSchema = z
  .object({
    name: pointNameSchema,
    label: z.string().trim().min(1, 'say what it is').max(80),
    unit: z.string().trim().max(16),
    min: z.number().min(-1e9).max(1e9).default(0),
    max: z.number().min(-1e9).max(1e9).default(100),
  })
  .refine(({ min, max }) => max > min, { message: 'above the least', path: ['max'] });
export type SourcePoint = z.output<typeof sourcePointSchema>;

const declared = z
  .array(sourcePointSchema)
  .max(100)
  .refine((points) => new Set(points.map(({ name }) => name)).size === points.length, 'each point once');

export const sources = {
  add: endpoint({
    method: 'post',
    path: '/api/v1/sources',
    door: 'maker',
    summary: 'Make a source: anything that can post, without a board. It is armed from the start; its key is shown in this reply',
    body: namedPlaceSchema.extend({ points: declared.default([]) }),
    reply: newNodeReplySchema,
  }),
  addPoints: endpoint({
    method: 'post',
    path: '/api/v1/sources/:id/points',
    door: 'maker',
    summary: 'Declare further points of a source',
    params: z.object({ id: z.string().max(64) }),
    body: z.object({ points: declared.min(1) }),
    reply: z.array(pointSchema),
  }),
  way: endpoint({
    method: 'get',
    path: '/api/v1/sources/way',
    door: 'account',
    summary: 'How a source reaches this server: the name that nodes use, and the ports of HTTP and MQTT',
    reply: z.object({ host: z.string(), httpPort: z.number().int(), mqttPort: z.number().int() }),
  }),
};
