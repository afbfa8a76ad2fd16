import * as z from 'zod';
import { endpoint, rowId } from './endpoint';

const finite = z.number().min(-1e9).max(1e9);
const rules = {
  name: z.string().trim().min(1, 'give it a name').max(60),
  unit: z.string().trim().max(16),
  /** What it shows, in its unit. */
  low: finite,
  high: finite,
  /** Standard uncertainty (k = 1) by its certificate, in its unit. */
  uncertainty: z.number().min(0, 'not negative').max(1e9),
  /** Number of its certificate, or in words where what it says comes from. */
  certificate: z.string().trim().max(200),
  /** When it was looked at last itself, and when it is due to be again; ms. */
  certifiedAt: z.number().int().nullable(),
  dueAt: z.number().int().nullable(),
};
export const newReferenceSchema = z
  .object(rules)
  .refine(({ low, high }) => high > low, { path: ['high'], message: 'more than the lowest it shows' })
  .refine(({ certifiedAt, dueAt }) => certifiedAt === null || dueAt === null || dueAt > certifiedAt, {
    path: ['dueAt'],
    message: 'after it was looked at',
  });
export type NewReference = z.output<typeof newReferenceSchema>;

export const referenceSchema = z.object({
  ...rules,
  id: z.number().int(),
  madeBy: z.string(),
  /** How many calibrations were made beside it. */
  used: z.number().int(),
});
export type Reference = z.output<typeof referenceSchema>;

export const references = {
  list: endpoint({
    method: 'get',
    path: '/api/v1/references',
    door: 'account',
    summary: 'Instruments that sensors are compared with, with their own certificates and dates',
    reply: z.array(referenceSchema),
  }),
  add: endpoint({
    method: 'post',
    path: '/api/v1/references',
    door: 'maker',
    summary: 'Add an instrument',
    body: newReferenceSchema,
    reply: referenceSchema,
  }),
  renew: endpoint({
    method: 'put',
    path: '/api/v1/references/:id',
    door: 'maker',
    summary: 'Another certificate for it: what was calibrated beside it before keeps the uncertainty it had then',
    params: z.object({ id: rowId }),
    body: newReferenceSchema,
    reply: referenceSchema,
  }),
  retire: endpoint({
    method: 'delete',
    path: '/api/v1/references/:id',
    door: 'maker',
    summary: 'Take an instrument out of use; calibrations made beside it keep its name',
    params: z.object({ id: rowId }),
  }),
};
