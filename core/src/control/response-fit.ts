import { percentile } from '../statistics';

/**
 * How a room or a tank answers to its output, fitted to what was recorded while it was on and off: a plant of the first order with a dead
 * time, and whatever else moves it (where it rests, a drift, the swing of a day). Times in ms since 1970, values in the point's unit.
 */

/** When an output was switched, in order of time: `on` from `at` on. Before the first it was the other way. */
export interface Switched {
  readonly at: number;
  readonly on: boolean;
}
export interface Reading {
  readonly at: number;
  readonly value: number;
}

/** A plant as it was fitted. */
export interface FittedPlant {
  /** By how much its output moves it for good; negative: it lowers it. */
  readonly gain: number;
  /** Time constant, s. */
  readonly tau: number;
  /** How long nothing is seen of a switching, s. */
  readonly deadSeconds: number;
  /** Where it rests with the output off, in the mean of the record. */
  readonly rests: number;
  /** How far the day moves where it rests, up and down. */
  readonly swing: number;
  /** What the model leaves, as a standard deviation. */
  readonly residual: number;
  /** Share of what moved beside drift and day that the output explains, 0…1. */
  readonly explained: number;
  /** Times that it was switched on within the record. */
  readonly runs: number;
}

export type ResponseFit = { readonly plant: FittedPlant } | { readonly refused: string };

const DAY_MS = 86_400_000;
/** Fewer runs than this say nothing of what else moved it meanwhile; common practice. */
const FEWEST_RUNS = 3;
const FEWEST_READINGS = 50;
/** A model that explains less than this is no model; common practice. */
const LEAST_EXPLAINED = 0.3;
const MOST_READINGS = 2000;
/** Time constants and dead times that are looked at first, before the best of them is made better. */
const TAUS = 20;
const DEADS = 6;
const ROUNDS = 40;

/** Fits the plant. Readings are good ones, in order of time. `refused`: why the record cannot tell, in words for a person. */
export function fitResponse(readings: readonly Reading[], switched: readonly Switched[]): ResponseFit {
  const taken = thinned(readings);
  const [first, last] = [taken[0], taken.at(-1)];
  if (!first || !last || taken.length < FEWEST_READINGS)
    return { refused: `Only ${taken.length} good readings: ${FEWEST_READINGS} are needed at least.` };
  const within = switched.filter(({ at }, i) => at >= first.at && at <= last.at && switched[i - 1]?.on !== switched[i]?.on);
  const runs = within.filter(({ on }) => on).length;
  if (runs < FEWEST_RUNS)
    return {
      refused: `It ran ${runs === 0 ? 'never' : runs === 1 ? 'once' : `${runs} times`} in this record: what ${FEWEST_RUNS} runs did is needed, to tell them from all else.`,
    };
  const gap = medianGap(readings);
  const shortest = medianRun(within, last.at);
  if (shortest < 2 * gap) return { refused: 'Its readings are too far apart to see what a run does: let the node report more often.' };

  const span = last.at - first.at;
  const columns = disturbances(taken, span);
  const values = taken.map(({ value }) => value);
  const alone = squares(columns, values);
  const spread = (span / 2 / gap) ** (1 / (TAUS - 1));
  let best: Candidate | null = null;
  for (let step = 0; step < DEADS; step++)
    for (let i = 0; i < TAUS; i++) best = better(best, tried(taken, within, columns, values, gap * spread ** i, (step * shortest) / DEADS));
  // Around the best of these, ever more closely once no neighbour is better.
  for (let round = 0, width = spread ** 0.5, shift = shortest / DEADS / 2; round < ROUNDS && best; round++) {
    const { tau, dead, sum }: Candidate = best;
    for (const [t, d] of [
      [tau * width, dead],
      [tau / width, dead],
      [tau, dead + shift],
      [tau, Math.max(0, dead - shift)],
    ] as const)
      best = better(best, tried(taken, within, columns, values, t, d));
    if (best.sum === sum) [width, shift] = [width ** 0.5, shift / 2];
  }
  if (!best || alone.sum === 0) return { refused: 'It reads one and the same value throughout.' };
  const explained = 1 - best.sum / alone.sum;
  if (explained < LEAST_EXPLAINED)
    return {
      refused: `What it reads hardly follows the output: ${Math.round(Math.max(0, explained) * 100)} % of what moved it, and ${LEAST_EXPLAINED * 100} % are needed at least.`,
    };
  if (best.tau > span / 3) return { refused: 'It answers so slowly that this record does not show where it comes to: look further back.' };
  return {
    plant: {
      ...{ gain: best.gain, tau: best.tau / 1000, deadSeconds: best.dead / 1000, runs, explained },
      rests: best.weights[0] as number,
      swing: columns.length > 2 ? Math.hypot(best.weights[2] as number, best.weights[3] as number) : 0,
      residual: Math.sqrt(best.sum / Math.max(1, taken.length - columns.length - 4)),
    },
  };
}

interface Candidate {
  readonly tau: number;
  readonly dead: number;
  readonly gain: number;
  readonly sum: number;
  readonly weights: readonly number[];
}
const better = (best: Candidate | null, next: Candidate): Candidate => (best === null || next.sum < best.sum ? next : best);

function tried(
  readings: readonly Reading[],
  switched: readonly Switched[],
  columns: readonly (readonly number[])[],
  values: readonly number[],
  tau: number,
  dead: number,
): Candidate {
  const start = (readings[0] as Reading).at;
  // What it had of runs before the record dies away.
  const before = readings.map(({ at }) => Math.exp(-(at - start) / tau));
  const { sum, weights } = squares([...columns, answered(readings, switched, tau, dead), before], values);
  return { tau, dead, sum, weights, gain: weights[columns.length] as number };
}

/** What an output of gain 1 would have done to a plant that began at rest, at each reading: exact between two switchings. */
export function answered(readings: readonly Reading[], switched: readonly Switched[], tau: number, dead: number): number[] {
  let at = readings[0]?.at ?? 0;
  let on = switched[0]?.on === false;
  let x = on ? 1 : 0;
  let next = 0;
  const pass = (until: number): void => {
    const to = on ? 1 : 0;
    x = to + (x - to) * Math.exp(-(until - at) / tau);
    at = until;
  };
  return readings.map((reading) => {
    for (;;) {
      const one = switched[next];
      if (!one || one.at + dead > reading.at) break;
      pass(Math.max(at, one.at + dead));
      on = one.on;
      next++;
    }
    pass(reading.at);
    return x;
  });
}

/** Where it rests, a drift, and the swing of a day where the record is a day long: each about 0 over the record, but for the first. */
function disturbances(readings: readonly Reading[], span: number): number[][] {
  const middle = (readings[0] as Reading).at + span / 2;
  const turn = (2 * Math.PI) / DAY_MS;
  const drift = readings.map(({ at }) => (at - middle) / span);
  const day = span >= DAY_MS ? [readings.map(({ at }) => Math.sin(turn * at)), readings.map(({ at }) => Math.cos(turn * at))] : [];
  return [readings.map(() => 1), drift, ...day];
}

/** Ordinary least squares by the normal equations, the columns scaled; the sum of squares that is left, and the weight of each column. */
function squares(columns: readonly (readonly number[])[], values: readonly number[]): { sum: number; weights: number[] } {
  const size = columns.length;
  const scale = columns.map((column) => Math.sqrt(column.reduce((sum, one) => sum + one * one, 0)) || 1);
  const matrix = columns.map((a, i) => [
    ...columns.map((b, j) => dot(a, b) / ((scale[i] as number) * (scale[j] as number)) + (i === j ? 1e-12 : 0)),
    dot(a, values) / (scale[i] as number),
  ]);
  for (let i = 0; i < size; i++) {
    const pivot = matrix[i] as number[];
    for (let row = i + 1; row < size; row++) {
      const below = matrix[row] as number[];
      const factor = (below[i] as number) / (pivot[i] as number);
      for (let j = i; j <= size; j++) below[j] = (below[j] as number) - factor * (pivot[j] as number);
    }
  }
  const weights = Array<number>(size).fill(0);
  for (let i = size - 1; i >= 0; i--) {
    const row = matrix[i] as number[];
    let rest = row[size] as number;
    for (let j = i + 1; j < size; j++) rest -= (row[j] as number) * (weights[j] as number);
    weights[i] = rest / (row[i] as number);
  }
  const unscaled = weights.map((weight, i) => weight / (scale[i] as number));
  let sum = 0;
  for (let k = 0; k < values.length; k++) {
    let model = 0;
    for (let i = 0; i < size; i++) model += (unscaled[i] as number) * ((columns[i] as readonly number[])[k] as number);
    sum += ((values[k] as number) - model) ** 2;
  }
  return { sum, weights: unscaled };
}

const dot = (a: readonly number[], b: readonly number[]): number => {
  let sum = 0;
  for (let i = 0; i < a.length; i++) sum += (a[i] as number) * (b[i] as number);
  return sum;
};

function thinned(readings: readonly Reading[]): readonly Reading[] {
  const every = Math.ceil(readings.length / MOST_READINGS);
  return every <= 1 ? readings : readings.filter((_, i) => i % every === 0);
}

const median = (values: readonly number[]): number => percentile(values, 0.5) ?? 0;
const medianGap = (readings: readonly Reading[]): number => median(readings.slice(1).map(({ at }, i) => at - (readings[i] as Reading).at));
const medianRun = (switched: readonly Switched[], until: number): number =>
  median(switched.flatMap(({ at, on }, i) => (on ? [(switched[i + 1]?.at ?? until) - at] : [])));
