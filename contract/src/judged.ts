import { HOURS_OF_WEEK } from '@dewpost/core/alarm';
import * as z from 'zod';
import { rowId } from './endpoint';

/** Over how long a rule may look back, s. */
const lookBack = z.number().min(1, 'one second at least').max(604_800, 'a week at most');

/** What of its point a rule judges; the setpoint is in the unit that this says. */
const valueItself = z.object({ kind: z.literal('value') });
/** Outside of a band: `setpoint` is its upper end. */
const outsideBand = z.object({ kind: z.literal('band'), low: z.number() });
/** What an onlooker sees the limits of. */
export const bandOrValueSchema = z.discriminatedUnion('kind', [valueItself, outsideBand]);
export const judgedSchema = z.discriminatedUnion('kind', [
  valueItself,
  outsideBand,
  /** How much it changes within so long: `setpoint` in the unit of the point, negative for a fall. */
  z.object({ kind: z.literal('rate'), overSeconds: lookBack }),
  /** How often it comes to `level` from below within so long: `setpoint` is a count. */
  z.object({ kind: z.literal('count'), level: z.number(), withinSeconds: lookBack }),
  /** For how long nothing good was read: `setpoint` in s. */
  z.object({ kind: z.literal('silence') }),
  /** What it reads above another point of the same unit. */
  z.object({ kind: z.literal('difference'), point: rowId }),
  /** How far it departs from what is usual at this hour of the week, learnt from its last weeks (below: negative). */
  z.object({ kind: z.literal('usual') }),
]);
const usualHour = z.array(z.number().nullable()).length(HOURS_OF_WEEK).readonly();
/** What a point usually reads, by the hour of the week in site time; Monday 00:00 first. */
export const habitSchema = z.object({ zone: z.string(), low: usualHour, high: usualHour, weeks: z.number().int() });
export const alsoSchema = z.object({
  join: z.enum(['and', 'or']),
  point: rowId,
  side: z.enum(['high', 'low']),
  setpoint: z.number(),
});
