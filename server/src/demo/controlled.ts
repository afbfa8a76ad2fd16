import * as z from 'zod';
import type { Course } from './quantities';
import { chance } from './chance';

/** A point of the past whose room was kept by an output: by what rule, and how the room answers. */
export const controlledSchema = z.object({
  node: z.string(),
  point: z.string(),
  /** On the same node. */
  output: z.string(),
  onAt: z.number(),
  offAt: z.number(),
  rests: z.number(),
  /** Up and down with the day. */
  swing: z.number().nonnegative(),
  gain: z.number(),
  tauSeconds: z.number().positive(),
  deadSeconds: z.number().nonnegative(),
  noise: z.number().nonnegative(),
});
export type Controlled = z.infer<typeof controlledSchema>;

const STEP_MS = 10_000;
/** Further apart than this nothing is seen of single runs: it is as it was without. */
const APART_MS = 600_000;
const DAY_MS = 86_400_000;

/** How such a point went, asked in order of time, and when its output was switched meanwhile. */
export function controlledCourse(how: Controlled, plain: Course): { course: Course; switched: { at: number; on: boolean }[] } {
  const switched: { at: number; on: boolean }[] = [];
  const random = chance(how.node.length * 31 + how.point.length);
  let [last, x, on] = [-Infinity, 0.4, false];
  /** Does it show now what the output does? */
  const shown = (at: number): boolean => switched.findLast((one) => one.at + how.deadSeconds * 1000 <= at)?.on ?? false;
  const course: Course = (at, outside) => {
    if (at - last > APART_MS) {
      last = at;
      return plain(at, outside);
    }
    for (; last < at; last += STEP_MS) {
      const to = shown(last) ? 1 : 0;
      x = to + (x - to) * Math.exp(-STEP_MS / 1000 / how.tauSeconds);
    }
    last = at;
    const value = how.rests + how.swing * Math.sin((2 * Math.PI * at) / DAY_MS) + how.gain * x;
    const read = value + (random() + random() - 1) * how.noise;
    const wanted = read <= how.onAt ? true : read >= how.offAt ? false : on;
    if (wanted !== on) {
      on = wanted;
      switched.push({ at: at + 1000, on });
    }
    return read;
  };
  return { course, switched };
}
