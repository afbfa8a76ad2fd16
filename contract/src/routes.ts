import { SEVERITIES } from '@dewpost/core/alarm';
import * as z from 'zod';
import { endpoint, rowId } from './endpoint';

const minutes = (most: number) => z.number().int('whole minutes').min(0).max(most);
const dayMinute = z.number().int().min(0).max(1439);

export const targetSchema = z.union([z.literal('handset'), rowId]);
export const courseSchema = z.object({
  /** After the trip, or after the quiet hours it was kept over. */
  afterMinutes: minutes(1440),
  to: z.array(targetSchema).min(1, 'choose whom').max(20),
  /** `null`: told once. */
  everyMinutes: minutes(1440).min(1).nullable(),
});
export const routeSchema = z.object({
  courses: z.array(courseSchema).max(10),
  quiet: z.enum(['tell', 'keep']),
  allClear: z.enum(['always', 'by day', 'never']),
});
/** Who is told of what, when. */
export const routePlanSchema = z.object({
  /** Minutes of the day, in site time; over midnight where `to` is the smaller; `null`: none. */
  quiet: z.object({ from: dayMinute, to: dayMinute }).nullable(),
  routes: z.record(z.enum(SEVERITIES), routeSchema),
  /** While more than ten open in ten minutes: what came first, then one message a minute of all that are not critical; or each by itself. */
  flood: z.enum(['sum', 'each']).default('sum'),
  /** News of nodes themselves that are told as notices: that one started anew, that its mains are back. */
  news: z
    .array(z.enum(['restarted', 'mains']))
    .max(2)
    .default([]),
  /** A word each day that the house can speak; `null`: none. */
  allWell: z.object({ minute: dayMinute, to: z.array(targetSchema).min(1, 'choose whom').max(20) }).nullable(),
});
export type RoutePlan = z.output<typeof routePlanSchema>;

export const routesViewSchema = z.object({
  /** 0: nobody has laid routes yet; everything goes at once to everybody it may. */
  version: z.number().int(),
  plan: routePlanSchema,
  /** Is there a handset in the building? */
  handset: z.boolean(),
});
export type RoutesView = z.output<typeof routesViewSchema>;

export const routes = {
  read: endpoint({
    method: 'get',
    path: '/api/v1/routes',
    door: 'account',
    summary: 'Who is told of alerts, by severity and time, and who next while nobody acknowledges',
    reply: routesViewSchema,
  }),
  write: endpoint({
    method: 'put',
    path: '/api/v1/routes',
    door: 'maker',
    summary: 'Lay other routes; they hold for what is open too. Another version in force by now is a 409 with it',
    body: z.object({ from: z.number().int(), plan: routePlanSchema }),
    reply: routesViewSchema,
  }),
};
