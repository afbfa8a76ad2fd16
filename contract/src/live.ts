import { handsetMessageSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { meSchema, siteSchema } from './access';
import { endpoint } from './endpoint';
import { nodeSchema, pointSchema, roomSchema } from './plan-schemas';
import { fitReplySchema, rolloutSchema, runSchema } from './provision-schemas';
import { bandOrValueSchema } from './judged';
import { alertSchema, deliverySchema, relaySchema, thresholdSchema } from './respond-schemas';
import { tripTestSchema } from './trip-tests';
import { dashboardSchema, latestSchema, qualitySchema } from './watch';

/** The health of the chain, for the foot line. */
export const statusSchema = z.object({
  broker: z.enum(['ok', 'down']),
  database: z.enum(['ok', 'down']),
  readingsPerMinute: z.number(),
  nodesHeard: z.number().int(),
  nodesWritten: z.number().int(),
  standins: z.enum(['running', 'not answering', 'off']),
  /** Where stand-in nodes serve their own pages; `null`: there are none. */
  nodePages: z.string().nullable(),
  /** Open alerts of which nobody has been told yet, though it was tried. */
  untold: z.number().int(),
  /** The server's clock was set within the last hour: when, and by how much (ms). */
  clockSet: z.object({ at: z.number(), byMs: z.number() }).nullable(),
  time: z.number(),
});
export type Status = z.infer<typeof statusSchema>;

/** `[point id, time ms, value, quality, reason]` */
export const liveReadingSchema = z.tuple([z.number().int(), z.number(), z.number(), qualitySchema, z.string().nullable()]);
export type LiveReading = z.infer<typeof liveReadingSchema>;

export const liveEventSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('readings'), readings: z.array(liveReadingSchema) }),
  z.object({ type: z.literal('node'), node: nodeSchema, points: z.array(pointSchema).optional() }),
  /** A point is converted otherwise from now on, and so is its record: what was known of its values is to be read anew. */
  z.object({ type: z.literal('recalibrated'), point: pointSchema }),
  /** Gone with its points; its alerts are told by themselves. */
  z.object({ type: z.literal('node-retired'), id: z.string(), points: z.array(z.number().int()) }),
  z.object({ type: z.literal('threshold'), threshold: thresholdSchema }),
  z.object({ type: z.literal('threshold-retired'), id: z.number().int() }),
  z.object({ type: z.literal('alert'), alert: alertSchema }),
  z.object({ type: z.literal('relay'), relay: relaySchema }),
  z.object({ type: z.literal('delivery'), delivery: deliverySchema }),
  z.object({ type: z.literal('run'), run: runSchema }),
  z.object({ type: z.literal('rollout'), rollout: rolloutSchema }),
  z.object({ type: z.literal('fit'), node: z.string(), fit: fitReplySchema }),
  z.object({ type: z.literal('trip-test'), test: tripTestSchema }),
  /** A message to whoever is signed in by this name: shown, then confirmed. */
  z.object({ type: z.literal('told'), to: z.string(), message: handsetMessageSchema }),
  z.object({ type: z.literal('status'), status: statusSchema }),
]);
export type LiveEvent = z.infer<typeof liveEventSchema>;

/** Everything the page holds, and the live id from which the stream goes on. */
export const snapshotSchema = z.object({
  live: z.string(),
  me: meSchema,
  site: siteSchema,
  rooms: z.array(roomSchema),
  nodes: z.array(nodeSchema),
  points: z.array(pointSchema),
  latest: z.array(latestSchema),
  thresholds: z.array(thresholdSchema),
  alerts: z.array(alertSchema),
  relays: z.array(relaySchema),
  deliveries: z.array(deliverySchema),
  dashboards: z.array(dashboardSchema),
  status: statusSchema,
});
export type Snapshot = z.infer<typeof snapshotSchema>;

/** An onlooker's point: no node id, no address, nothing of why. */
export const sharedPointSchema = pointSchema.omit({ node: true, output: true, name: true }).extend({ room: z.string() });
export const sharedThresholdSchema = thresholdSchema
  .pick({
    id: true,
    point: true,
    side: true,
    setpoint: true,
    deadband: true,
    clearLevel: true,
    severity: true,
  })
  .extend({ judges: bandOrValueSchema });
export const sharedAlertSchema = alertSchema.pick({ id: true, point: true, severity: true, title: true, trippedAt: true, clearedAt: true });
export const sharedRelaySchema = relaySchema.pick({ point: true, state: true, readAt: true });
export const sharedSnapshotSchema = z.object({
  live: z.string(),
  site: siteSchema,
  name: z.string(),
  endsAt: z.number(),
  points: z.array(sharedPointSchema),
  latest: z.array(latestSchema),
  thresholds: z.array(sharedThresholdSchema),
  alerts: z.array(sharedAlertSchema),
  relays: z.array(sharedRelaySchema),
});
export type SharedSnapshot = z.infer<typeof sharedSnapshotSchema>;

export const sharedEventSchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('readings'), readings: z.array(liveReadingSchema) }),
  z.object({ type: z.literal('alert'), alert: sharedAlertSchema }),
  z.object({ type: z.literal('relay'), relay: sharedRelaySchema }),
]);
export type SharedEvent = z.infer<typeof sharedEventSchema>;

export const live = {
  snapshot: endpoint({ method: 'get', path: '/api/v1/snapshot', door: 'account', summary: 'All that a page holds', reply: snapshotSchema }),
  sharedSnapshot: endpoint({
    method: 'get',
    path: '/api/v1/shared/snapshot',
    door: 'share',
    summary: 'The shared dashboard',
    reply: sharedSnapshotSchema,
  }),
};
