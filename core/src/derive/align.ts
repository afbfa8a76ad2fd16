import { unitChange } from '../quantity';
import type { Formula, Pairs, Sample } from './formula';

/** A time at which a computed point has a value: the first input's reading, and what the others showed then, `null` where that is too old. */
export interface Moment extends Sample {
  readonly others: readonly (number | null)[];
}

/** How far back a formula looks from a time, ms; `midnight` gives the begin of the site's day that a time lies in. */
export function windowBegin(
  { window }: Formula,
  parameters: Readonly<Record<string, number>>,
  at: number,
  midnight: (at: number) => number,
): number {
  if (window.kind === 'none') return at;
  if (window.kind === 'day') return midnight(at);
  return at - (window.kind === 'seconds' ? window.seconds * 1000 : (parameters[window.parameter] ?? 60) * 60_000);
}

/** Brings values to the units that a formula wants; `null` where one cannot be told in it. */
export function inUnits(formula: Formula, values: readonly number[], units: readonly string[]): number[] | null {
  const [first = ''] = units;
  const told = values.map((value, i) => {
    const wanted = formula.inputs[Math.min(i, formula.inputs.length - 1)]?.unit ?? first;
    const change = unitChange(units[i] ?? '', wanted);
    return change ? value * change.factor + change.offset : NaN;
  });
  return told.every(Number.isFinite) ? told : null;
}

/** What is wrong with inputs of these units for a formula, in words; `null`: nothing. */
export function inputsProblem(formula: Formula, units: readonly string[]): string | null {
  if (units.length < formula.inputs.length || units.length > formula.mostInputs)
    return formula.mostInputs === formula.inputs.length
      ? `${formula.title} wants ${formula.inputs.length} point${formula.inputs.length === 1 ? '' : 's'}.`
      : `${formula.title} wants ${formula.inputs.length} to ${formula.mostInputs} points.`;
  for (const [i, unit] of units.entries()) {
    const input = formula.inputs[Math.min(i, formula.inputs.length - 1)];
    const wanted = input?.unit ?? units[0] ?? '';
    if (unitChange(unit, wanted) === null)
      return `${input?.label ?? 'A point'} is wanted in ${wanted || 'on and off'}, and this one is in ${unit || 'on and off'}.`;
  }
  return null;
}

/** What is wrong with the table of a formula, in words; `null`: nothing. */
export function pairsProblem({ title, pairs: wanted }: Formula, pairs: Pairs): string | null {
  if (!wanted) return pairs.length === 0 ? null : `${title} follows no table.`;
  if (pairs.length < 2) return `${title} wants a table of two rows at least: ${wanted.from} and ${wanted.to.toLowerCase()} in each.`;
  const turns = pairs.findIndex(([from, to], i) => i > 0 && (from <= (pairs[i - 1]?.[0] ?? from) || to < (pairs[i - 1]?.[1] ?? to)));
  return turns === -1
    ? null
    : `Row ${turns + 1} of the table (${pairs[turns]?.join(' and ') ?? ''}) does not lie above the one before: both columns rise.`;
}

/**
 * Computes a point at each moment, in order of time. `samples` are the first input's readings from before the first moment's window on, all of
 * them; `units` those of the inputs in order. Moments without a value are left out. Whatever order readings came in, the result is the same.
 */
export function computeAt(
  formula: Formula,
  {
    moments,
    samples,
    units,
    parameters,
    pairs = [],
    midnight,
  }: {
    readonly moments: readonly Moment[];
    readonly samples: readonly Sample[];
    readonly units: readonly string[];
    readonly parameters: Readonly<Record<string, number>>;
    readonly pairs?: Pairs;
    readonly midnight: (at: number) => number;
  },
): Sample[] {
  const own = (value: number): number => inUnits(formula, [value], units)?.[0] ?? NaN;
  const told = formula.window.kind === 'none' ? [] : samples.map((one) => ({ at: one.at, value: own(one.value) }));
  const made: Sample[] = [];
  let [from, to] = [0, 0];
  for (const { at, value, others } of moments) {
    if (others.some((other) => other === null)) continue;
    const values = inUnits(formula, [value, ...others.map((other) => other ?? NaN)], units);
    if (!values) continue;
    const begins = windowBegin(formula, parameters, at, midnight);
    while (to < told.length && (told[to]?.at ?? Infinity) <= at) to++;
    // Midnight and a window's begin only go forward.
    while (from < to && (told[from]?.at ?? Infinity) < begins) from++;
    const result = formula.compute({ values, window: told.slice(from, to), before: told[from - 1] ?? null, begins, parameters, pairs });
    if (result !== null && Number.isFinite(result)) made.push({ at, value: result });
  }
  return made;
}

/** What a computed point is shown over, by the ranges that its inputs are shown over. */
export function shownOver({ range, id }: Formula, inputs: readonly (readonly [number, number])[]): readonly [number, number] {
  if (range !== 'of its inputs') return range;
  const ends = [0, 1].map((end) => inputs.map((one) => one[end] ?? 0)) as [number[], number[]];
  const add = (values: readonly number[]): number => values.reduce((sum, value) => sum + value, 0);
  const [low, high] = id === 'sum' ? [add(ends[0]), add(ends[1])] : [Math.min(...ends[0]), Math.max(...ends[1])];
  return high > low ? [low, high] : [low, low + 1];
}
