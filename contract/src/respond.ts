import { MOST_SHELVED_MINUTES } from '@dewpost/core/alarm';
import * as z from 'zod';
import { endpoint, rawEndpoint, rowId } from './endpoint';
import {
  thresholdRuleSchema,
  thresholdSchema,
  thresholdVersionSchema,
  alertSchema,
  interlockSchema,
  relaySchema,
  deliverySchema,
  noticeSchema,
  timetableBodySchema,
  outputLimitsWishSchema,
} from './respond-schemas';
import { messagePreviewSchema, newWaySchema, waySchema } from './way-schemas';

const byId = z.object({ id: rowId });
/** Points that one rule is armed on at once. */
const MOST_ALIKE = 200;

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
    summary: 'Arm a threshold on a point, and the same on others; on all of them or none',
    /** `others`: points that get the same rule; only one that switches nothing. */
    body: thresholdRuleSchema.extend({ point: z.number().int(), others: z.array(rowId).max(MOST_ALIKE).default([]) }),
    reply: thresholdSchema,
  }),
  previewThreshold: endpoint({
    method: 'post',
    path: '/api/v1/thresholds/preview',
    door: 'maker',
    summary: 'What the alert of such a rule would say at its limit, as it reads by each way; nothing is armed',
    body: thresholdRuleSchema.extend({ point: z.number().int() }),
    reply: messagePreviewSchema,
  }),
  changeThreshold: endpoint({
    method: 'put',
    path: '/api/v1/thresholds/:id',
    door: 'maker',
    summary: 'Arm a new version; an open alert of the old one is closed as "threshold changed"',
    params: byId,
    /** `from`: the version that was being edited; another in force by now is a 409 with it. `why`: for whoever asks later. */
    body: thresholdRuleSchema.extend({
      from: z.number().int(),
      why: z.string().trim().max(200).default(''),
      /** Other rules that are to say the same from now on, each by the version that was seen; all of them or none. */
      others: z
        .array(z.object({ id: rowId, from: z.number().int() }))
        .max(MOST_ALIKE)
        .default([]),
    }),
    reply: thresholdSchema,
  }),
  thresholdVersions: endpoint({
    method: 'get',
    path: '/api/v1/thresholds/:id/versions',
    door: 'account',
    summary: 'Every version of a rule, the newest first: what it said, who put it in force, when and why',
    params: byId,
    reply: z.array(thresholdVersionSchema),
  }),
  retireThreshold: endpoint({
    method: 'delete',
    path: '/api/v1/thresholds/:id',
    door: 'maker',
    summary: 'Stand a threshold down for good; its versions and alerts are kept',
    params: byId,
  }),
  thresholdsCsv: rawEndpoint({
    method: 'get',
    path: '/api/v1/thresholds.csv',
    door: 'account',
    summary: 'All rules in force as a table, a row each',
    gives: 'text/csv',
  }),
  setThresholdsCsv: rawEndpoint({
    method: 'put',
    path: '/api/v1/thresholds.csv',
    door: 'maker',
    summary:
      'Changed rows of that table as new versions; `?preview=true` only says what would change. Rows that are not there stay as they are',
    gives: 'application/json',
  }),
  alerts: endpoint({
    method: 'get',
    path: '/api/v1/alerts',
    door: 'account',
    summary: 'Alerts, open ones first, then the newest; what only switches, or is only told, is not among them',
    query: z.object({ state: z.enum(['open', 'all']).default('all'), limit: z.coerce.number().int().min(1).max(1000).default(200) }),
    reply: z.array(alertSchema),
  }),
  notices: endpoint({
    method: 'get',
    path: '/api/v1/notices',
    door: 'account',
    summary: 'Notices, newest first',
    query: z.object({ limit: z.coerce.number().int().min(1).max(1000).default(200) }),
    reply: z.array(noticeSchema),
  }),
  ways: endpoint({
    method: 'get',
    path: '/api/v1/ways',
    door: 'maker',
    summary: 'Ways by which messages leave the house',
    reply: z.array(waySchema),
  }),
  addWay: endpoint({
    method: 'post',
    path: '/api/v1/ways',
    door: 'maker',
    summary:
      'Add a way: a webhook (its signing secret is shown in this reply) or mail. Addresses inside the building only where they are allowed by name',
    body: newWaySchema,
    reply: waySchema.extend({ secret: z.string().nullable() }),
  }),
  removeWay: endpoint({ method: 'delete', path: '/api/v1/ways/:id', door: 'maker', summary: 'Take a way away', params: byId }),
  testWay: endpoint({
    method: 'post',
    path: '/api/v1/ways/:id/test',
    door: 'maker',
    summary: 'Really deliver a message by this way, and say how that went',
    params: byId,
    reply: z.object({ delivered: z.boolean(), ms: z.number(), detail: z.string() }),
  }),
  pushKey: endpoint({
    method: 'get',
    path: '/api/v1/push-key',
    door: 'maker',
    summary: 'The key by which push services know this house (VAPID, RFC 8292), as a browser wants it to subscribe',
    reply: z.object({ publicKey: z.string() }),
  }),
  taken: endpoint({
    method: 'post',
    path: '/api/v1/told/:id',
    door: 'account',
    summary: 'An open page has shown a message that came on its live stream; false where nobody waits for that any more',
    params: z.object({ id: z.uuid() }),
    reply: z.object({ awaited: z.boolean() }),
  }),
  acknowledge: endpoint({
    method: 'post',
    path: '/api/v1/alerts/:id/acknowledge',
    door: 'account',
    summary: 'Say that somebody has seen it',
    params: byId,
    reply: alertSchema,
  }),
  resetAlert: endpoint({
    method: 'post',
    path: '/api/v1/alerts/:id/reset',
    door: 'account',
    summary: 'Reset a latched alert, once its condition has gone and somebody has acknowledged it',
    params: byId,
    reply: alertSchema,
  }),
  shelve: endpoint({
    method: 'post',
    path: '/api/v1/alerts/:id/shelve',
    door: 'account',
    summary:
      'Put an open alert on the shelf for some minutes: it stands, what it switches goes on, nobody is told; a trip of the same rule meanwhile stays there too',
    params: z.object({ id: rowId }),
    body: z.object({
      minutes: z.number().int('whole minutes').min(5).max(MOST_SHELVED_MINUTES.advisory),
      why: z.string().trim().min(3, 'say why').max(200),
    }),
    reply: alertSchema,
  }),
  takeOffShelf: endpoint({
    method: 'delete',
    path: '/api/v1/alerts/:id/shelve',
    door: 'account',
    summary: 'Take an alert off the shelf before its time: it is told again from the beginning',
    params: z.object({ id: rowId }),
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
  allSafe: endpoint({
    method: 'post',
    path: '/api/v1/relays/safe',
    door: 'account',
    summary:
      'Put every output to its safe state, at once: whatever asks for it is over, and a rule that stands switches nothing on until it trips anew',
    body: z.object({ reason: z.string().trim().max(200) }),
    reply: z.array(relaySchema),
  }),
  interlocks: endpoint({
    method: 'get',
    path: '/api/v1/interlocks',
    door: 'account',
    summary: 'Outputs that never run together, and which of two wins',
    reply: z.array(interlockSchema),
  }),
  addInterlock: endpoint({
    method: 'post',
    path: '/api/v1/interlocks',
    door: 'maker',
    summary:
      'Interlock two outputs, by their points: while the winner is wanted the other is off, and the winner waits until that reads off or its lease is over',
    body: z.object({ winner: rowId, loser: rowId }),
    reply: z.array(interlockSchema),
  }),
  removeInterlock: endpoint({
    method: 'delete',
    path: '/api/v1/interlocks/:id',
    door: 'maker',
    summary: 'Take an interlock off',
    params: byId,
    reply: z.array(interlockSchema),
  }),
  lockRelay: endpoint({
    method: 'post',
    path: '/api/v1/relays/:id/lock',
    door: 'account',
    summary:
      'Lock an output out while somebody works at it: off at once, whatever asks for it, until a time or until the lock is taken off',
    params: byId,
    body: z.object({
      reason: z.string().trim().min(1, 'say why').max(200),
      minutes: z.number().int('whole minutes').min(1).max(43_200, '30 days at most').nullable(),
    }),
    reply: relaySchema,
  }),
  unlockRelay: endpoint({
    method: 'delete',
    path: '/api/v1/relays/:id/lock',
    door: 'account',
    summary: 'Take a lock off: one’s own, or as a maker anybody’s. Rules that switch it are judged anew',
    params: byId,
    reply: relaySchema,
  }),
  setTimetable: endpoint({
    method: 'put',
    path: '/api/v1/relays/:id/timetable',
    door: 'maker',
    summary:
      'Lay down by which times an output runs and in which hours rules may switch it; a run under way stands down. Another version in force by now is a 409 with it',
    params: byId,
    body: timetableBodySchema,
    reply: relaySchema,
  }),
  setLimits: endpoint({
    method: 'put',
    path: '/api/v1/relays/:id/limits',
    door: 'maker',
    summary:
      'Lay down what an output may do within a day (time on, starts, litres through a meter) and which conditions forbid it, whoever asks. Another version in force by now is a 409 with it',
    params: byId,
    body: outputLimitsWishSchema,
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
