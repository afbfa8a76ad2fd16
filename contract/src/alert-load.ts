import * as z from 'zod';
import { endpoint } from './endpoint';
import { alertSchema } from './respond-schemas';

const count = z.number().int().nonnegative();

/** One rule, or one built-in watch over a node, and how often it spoke. */
export const alertOriginSchema = alertSchema.pick({ kind: true, threshold: true, node: true, point: true, title: true }).extend({
  count,
  /** Of all alerts, 0 to 1. */
  share: z.number(),
  fleeting: count,
  chattering: count,
  /** Since when it stands; `null`: it does not. */
  standsSince: z.number().nullable(),
});
export type AlertOrigin = z.output<typeof alertOriginSchema>;

export const alertLoadSchema = z.object({
  /** The time that is counted: a day at least, and no longer than since the first alert. */
  from: z.number(),
  until: z.number(),
  count,
  perDay: z.number(),
  /** Most in any ten minutes. */
  peak: count,
  /** Share of the time in a flood, 0 to 1. */
  floodShare: z.number(),
  fleeting: count,
  chattering: count,
  /** Those that have stood for more than a day. */
  stale: count,
  bySeverity: z.object({ advisory: count, warning: count, critical: count }),
  /** Those that spoke most first, twenty at most; how many more there are. */
  origins: z.array(alertOriginSchema),
  others: count,
});
export type AlertLoad = z.output<typeof alertLoadSchema>;

export const alertCounts = {
  read: endpoint({
    method: 'get',
    path: '/api/v1/alerts/counts',
    door: 'account',
    summary: 'How many alerts there were within some days, and who they came from; notices and ordinary switching are not among them',
    query: z.object({ days: z.coerce.number().int().min(1).max(366).default(30) }),
    reply: alertLoadSchema,
  }),
};
