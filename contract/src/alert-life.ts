import * as z from 'zod';
import { endpoint, rowId } from './endpoint';
import { alertSchema } from './respond-schemas';

/** What somebody writes down of an alert: a note, why it came, what was done. */
export const ENTRY_KINDS = ['note', 'cause', 'remedy'] as const;

export const alertEntrySchema = z.object({
  at: z.number(),
  /** `life`: what happened to it. */
  kind: z.enum(['life', ...ENTRY_KINDS]),
  text: z.string(),
  /** `null`: by itself. */
  by: z.string().nullable(),
});
export type AlertEntry = z.output<typeof alertEntrySchema>;

export const alertLifeSchema = z.object({
  alert: alertSchema,
  /** In the order they were written; none is ever changed or taken away. */
  entries: z.array(alertEntrySchema),
  /** The last ones of the same rule, or the same watch of the same node, of which somebody has written why, or what was done. */
  before: z.array(alertSchema),
});
export type AlertLife = z.output<typeof alertLifeSchema>;

const params = z.object({ id: rowId });
export const alertLife = {
  read: endpoint({
    method: 'get',
    path: '/api/v1/alerts/:id/life',
    door: 'account',
    summary: 'What happened to an alert, what was written down of it, and what the last ones like it came from',
    params,
    reply: alertLifeSchema,
  }),
  write: endpoint({
    method: 'post',
    path: '/api/v1/alerts/:id/life',
    door: 'account',
    summary: 'Write down a note of an alert, why it came, or what was done; the last cause and remedy stand with it',
    params,
    body: z.object({ kind: z.enum(ENTRY_KINDS), text: z.string().trim().min(3, 'say it in words').max(1000) }),
    reply: alertLifeSchema,
  }),
};
