import { handsetMessageSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { endpoint, rowId } from './endpoint';

export const severitySchema = z.enum(['advisory', 'warning', 'critical']);
export type Severity = z.infer<typeof severitySchema>;

const delay = z.number().min(0).max(86_400);

export const thresholdRuleSchema = z.object({
  side: z.enum(['high', 'low']),
  setpoint: z.number(),
  deadband: z.number().min(0, 'a deadband is not negative'),
  onDelaySeconds: delay,
  offDelaySeconds: delay,
  severity: severitySchema,
  /** The output that a trip switches on until the alert clears; `null`: nothing is switched. */
  output: z.number().int().nullable(),
  /** `journal`: ordinary switching, one line in what happened; nobody is told and nothing has to be acknowledged. */
  tells: z.enum(['alert', 'journal']).default('alert'),
});
export type ThresholdRuleBody = z.infer<typeof thresholdRuleSchema>;

export const thresholdSchema = thresholdRuleSchema.extend({
  id: z.number().int(),
  point: z.number().int(),
  version: z.number().int(),
  clearLevel: z.number(),
  /** As its point reports: contacts and states hold between two readings. */
  confirm: z.enum(['readings', 'hold']),
  phase: z.enum(['normal', 'pending-on', 'active', 'pending-off']),
});
export type Threshold = z.infer<typeof thresholdSchema>;

export const alertSchema = z.object({
  id: z.number().int(),
  kind: z.enum(['threshold', 'silent', 'sensor-lost', 'output-stuck']),
  threshold: z.number().int().nullable(),
  node: z.string(),
  point: z.number().int().nullable(),
  severity: severitySchema,
  title: z.string(),
  text: z.string(),
  trippedAt: z.number(),
  value: z.number().nullable(),
  clearedAt: z.number().nullable(),
  clearedWhy: z.string().nullable(),
  acknowledgedAt: z.number().nullable(),
  acknowledgedBy: z.string().nullable(),
  /** Found too late to act on: no output was commanded. */
  earlier: z.boolean(),
  /** Ordinary switching, told in the journal only. */
  journal: z.boolean(),
});
export type Alert = z.infer<typeof alertSchema>;

export const relaySchema = z.object({
  point: z.number().int(),
  /** Read back from the node; `null`: unknown. */
  state: z.boolean().nullable(),
  readAt: z.number().nullable(),
  /** Since when it stands as it does, as far as known. */
  since: z.number().nullable(),
  result: z.enum(['done', 'held', 'refused', 'ended']).nullable(),
  reason: z.string().nullable(),
  /** Until when the guard named in `reason` binds. */
  heldUntil: z.number().nullable(),
  askedBy: z.string().nullable(),
  askedFor: z.enum(['hand', 'threshold']).nullable(),
  /** End of the hand limit. */
  endsAt: z.number().nullable(),
  /** When it goes off by itself: hand limit or maximum run, whichever comes first. */
  offAt: z.number().nullable(),
  leaseUntil: z.number().nullable(),
  renewing: z.boolean(),
});
export type Relay = z.infer<typeof relaySchema>;

export const deliverySchema = z.object({
  id: z.string(),
  alert: z.number().int().nullable(),
  message: handsetMessageSchema,
  state: z.enum(['waiting', 'delivered', 'failed']),
  attempts: z.number().int(),
  deliveredAt: z.number().nullable(),
  error: z.string().nullable(),
});
export type Delivery = z.infer<typeof deliverySchema>;

const byId = z.object({ id: rowId });

export const respond = {
  thresholds: endpoint({
    method: 'get',
    path: '/api/v1/thresholds',
    door: 'account',
    summary: 'All thresholds in force',
    reply: z.array(thresholdSchema),
  }),
  addThreshold: endpoint({
    method: 'post',
    path: '/api/v1/thresholds',
    door: 'maker',
    summary: 'Arm a threshold on a point',
    body: thresholdRuleSchema.extend({ point: z.number().int() }),
    reply: thresholdSchema,
  }),
  changeThreshold: endpoint({
    method: 'put',
    path: '/api/v1/thresholds/:id',
    door: 'maker',
    summary: 'Arm a new version; an open alert of the old one is closed as "threshold changed"',
    params: byId,
    /** `from`: the version that was being edited; another in force by now is a 409 with it. */
    body: thresholdRuleSchema.extend({ from: z.number().int() }),
    reply: thresholdSchema,
  }),
  retireThreshold: endpoint({
    method: 'delete',
    path: '/api/v1/thresholds/:id',
    door: 'maker',
    summary: 'Stand a threshold down for good; its versions and alerts are kept',
    params: byId,
  }),
  alerts: endpoint({
    method: 'get',
    path: '/api/v1/alerts',
    door: 'account',
    summary: 'Alerts, open ones first, then the newest',
    query: z.object({ state: z.enum(['open', 'all']).default('all'), limit: z.coerce.number().int().min(1).max(1000).default(200) }),
    reply: z.array(alertSchema),
  }),
  acknowledge: endpoint({
    method: 'post',
    path: '/api/v1/alerts/:id/acknowledge',
    door: 'account',
    summary: 'Say that somebody has seen it',
    params: byId,
    reply: alertSchema,
  }),
  acknowledgeMany: endpoint({
    method: 'post',
    path: '/api/v1/alerts/acknowledge',
    door: 'account',
    summary: 'Say that somebody has seen these; those that are gone or were seen before are passed over',
    body: z.object({ ids: z.array(z.number().int().positive()).min(1).max(500) }),
    reply: z.array(alertSchema),
  }),
  relays: endpoint({
    method: 'get',
    path: '/api/v1/relays',
    door: 'account',
    summary: 'Outputs and their states read back',
    reply: z.array(relaySchema),
  }),
  switchRelay: endpoint({
    method: 'post',
    path: '/api/v1/relays/:id/switch',
    door: 'account',
    summary: 'Switch an output by hand: on for a time, or off at once',
    params: byId,
    body: z.discriminatedUnion('on', [
      z.object({ on: z.literal(true), seconds: z.number().min(1).max(86_400), reason: z.string().trim().max(200) }),
      z.object({ on: z.literal(false), reason: z.string().trim().max(200) }),
    ]),
    reply: relaySchema,
  }),
  deliveries: endpoint({
    method: 'get',
    path: '/api/v1/deliveries',
    door: 'account',
    summary: 'Messages sent to people, newest first',
    reply: z.array(deliverySchema),
  }),
};
