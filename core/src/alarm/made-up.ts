import type { Sample } from './rehearsal';

/** A course that nobody has recorded, to try a rule on: from where the point is to a value that somebody names. */
export const SHAPES = ['step', 'ramp', 'spike', 'noise', 'silence'] as const;
export type Shape = (typeof SHAPES)[number];

/** What is made up: its course from `base` to `to` (the point's unit), from `from` to `until`, a reading every so often. Times in ms. */
export interface MadeUp {
  readonly shape: Shape;
  readonly base: number;
  readonly to: number;
  readonly from: number;
  readonly until: number;
  readonly everyMs: number;
}

/** The part of the time that is as it was: before it begins, and after what ends. */
const [BEGINS, ENDS] = [0.25, 0.75];

/** `noise` swings between both values in a way that repeats; `silence` says nothing in the middle, and `to` after it. */
export function madeUp({ shape, base, to, from, until, everyMs }: MadeUp): Sample[] {
  const count = Math.floor((until - from) / everyMs) + 1;
  let random = 1;
  return Array.from({ length: count }, (_, i) => from + i * everyMs).flatMap((at): Sample[] => {
    const share = (at - from) / (until - from);
    const within = share >= BEGINS && share < ENDS;
    // Numerical Recipes, ranqd1: the same each time.
    random = (Math.imul(random, 1664525) + 1013904223) >>> 0;
    if (shape === 'silence' && within) return [];
    return [{ at, value: valueOf(shape, share, within, base, to, random / 2 ** 32, everyMs / (until - from)), quality: 'good' }];
  });
}

function valueOf(shape: Shape, share: number, within: boolean, base: number, to: number, random: number, step: number): number {
  switch (shape) {
    case 'step':
      return within ? to : base;
    case 'ramp':
      return within ? base + ((to - base) * (share - BEGINS)) / (ENDS - BEGINS) : share < BEGINS ? base : to;
    case 'spike':
      return share >= 0.5 && share < 0.5 + step ? to : base;
    case 'noise':
      return within ? base + (to - base) * random : base;
    case 'silence':
      return share < BEGINS ? base : to;
  }
}

/** A point of a course that somebody has drawn. */
export interface Knot {
  /** Since it begins, ms. */
  readonly after: number;
  readonly value: number;
}

/** A course drawn by hand, straight from knot to knot and level beyond the first and the last; of at least one knot, in any order. Times in ms. */
export function madeOfKnots(knots: readonly Knot[], { from, until, everyMs }: Pick<MadeUp, 'from' | 'until' | 'everyMs'>): Sample[] {
  const sorted = [...knots].sort((a, b) => a.after - b.after);
  const count = Math.floor((until - from) / everyMs) + 1;
  return Array.from({ length: count }, (_, i): Sample => ({
    at: from + i * everyMs,
    value: onCourse(sorted, i * everyMs),
    quality: 'good',
  }));
}

function onCourse(knots: readonly Knot[], after: number): number {
  const next = knots.findIndex((knot) => knot.after >= after);
  const [before, then] = [knots[next < 0 ? knots.length - 1 : next - 1], knots[next]];
  if (then === undefined) return before?.value ?? NaN;
  if (before === undefined || then.after === before.after) return then.value;
  return before.value + ((then.value - before.value) * (after - before.after)) / (then.after - before.after);
}
