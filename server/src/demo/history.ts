import { dewPointCelsius } from '@dewpost/core/air';
import { FLAG } from '../intake/batch';
import { markSpan } from '../record/marks';
import * as z from 'zod';
import { chance } from './chance';
import type { Database, Transaction } from '../database/connect';
import { ensureMonths } from '../database/partitions';

/** What the day before the demo was like at a node: means, swing over the day, and a quicker cycle of the humidity. */
export const yesterdaySchema = z.object({
  celsius: z.number(),
  dayCelsius: z.number(),
  percent: z.number(),
  dayPercent: z.number(),
  cyclePercent: z.number(),
  cycleSeconds: z.number().positive(),
});
type Yesterday = z.infer<typeof yesterdaySchema>;

const STEP_MS = 120_000;
const DAY_MS = 86_400_000;

/** One invented reading of each quantity: a slow swing over the day, a quicker one over the room's own cycle, and noise. */
function air(room: Yesterday, at: number, random: () => number): { celsius: number; percent: number } {
  const day = Math.sin(((at % DAY_MS) / DAY_MS - 0.375) * 2 * Math.PI);
  const cycle = (at % (room.cycleSeconds * 1000)) / (room.cycleSeconds * 1000);
  // Falls most of the cycle and is brought back quickly, as a humidified room does.
  const saw = cycle < 0.8 ? 1 - cycle / 0.8 : (cycle - 0.8) / 0.2;
  const noise = (width: number): number => (random() + random() - 1) * width;
  return {
    celsius: room.celsius + room.dayCelsius * day + noise(0.15),
    percent: Math.min(100, room.percent - room.dayPercent * day + room.cyclePercent * (saw - 0.5) + noise(0.5)),
  };
}

/** Writes the day before `now` for nodes whose scenario has one; its readings carry the flag `imported`. */
export async function writeYesterday(
  database: Database,
  trx: Transaction,
  nodes: readonly { id: string; yesterday?: Yesterday }[],
  pointId: (node: string, name: string) => number | null,
  now: number,
): Promise<void> {
  const until = Math.floor((now - 60_000) / STEP_MS) * STEP_MS;
  const times = Array.from({ length: DAY_MS / STEP_MS }, (_, i) => until - DAY_MS + (i + 1) * STEP_MS);
  await ensureMonths(
    database,
    times.map((at) => ({ at })),
  );
  for (const [n, { id, yesterday }] of nodes.entries()) {
    if (!yesterday) continue;
    const random = chance(n + 1);
    const rows = times.flatMap((at) => {
      const { celsius, percent } = air(yesterday, at, random);
      const dew = dewPointCelsius(celsius, percent);
      // What a node does not measure it has no yesterday of.
      const row = (name: string, value: number) => {
        const point = pointId(id, name);
        return point === null ? [] : [{ point, at, value: Math.round(value * 100) / 100 }];
      };
      return [...row('temperature', celsius), ...row('humidity', percent), ...(dew === null ? [] : row('dew-point', dew))];
    });
    await trx.raw(
      `insert into reading (point_id, at, raw, value, quality, flags, reason)
       select point, to_timestamp(at / 1000.0), value, value, 0, ?, 0 from unnest(?::int[], ?::float8[], ?::float8[]) as t(point, at, value)`,
      [FLAG.imported, rows.map((row) => row.point), rows.map((row) => row.at), rows.map((row) => row.value)],
    );
    await markSpan(trx, [...new Set(rows.map((row) => row.point))], until - DAY_MS, until + 1);
  }
}
