import * as z from 'zod';
import type { Transaction } from '../database/connect';
import { chance } from './chance';

/** How often a node has started in its time, and what it said: supply at first and last (V; left out: it says none), and signal (dBm). */
export const startsSchema = z.object({
  days: z.number().int().positive(),
  times: z.number().int().min(2),
  volts: z.tuple([z.number(), z.number()]).optional(),
  dbm: z.number(),
});

const DAY_MS = 86_400_000;

/** Writes what nodes said at their starts before `now`, for those whose scenario has some: evenly over their days. */
export async function writeStarts(
  trx: Transaction,
  nodes: readonly { id: string; starts?: z.infer<typeof startsSchema> | undefined }[],
  now: number,
): Promise<void> {
  for (const [n, { id, starts }] of nodes.entries()) {
    if (!starts) continue;
    const { days, times, volts, dbm } = starts;
    const random = chance(n + 101);
    const facts = Array.from({ length: times }, (_, i) => {
      const share = i / (times - 1);
      const said = volts && Math.round((volts[0] + (volts[1] - volts[0]) * share + (random() - 0.5) * 0.02) * 100) / 100;
      return {
        node_id: trx('node').where({ name: id }).select('id'),
        at: new Date(now - days * DAY_MS * (1 - share) - 60_000),
        volts: said ?? null,
        rssi_dbm: Math.round(dbm + (random() - 0.5) * 6),
      };
    });
    await trx('node_fact').insert(facts);
  }
}
