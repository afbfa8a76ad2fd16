import { dewPointCelsius } from '@dewpost/core/air';
import { valueAt } from '@dewpost/core/calibration';
import { unitChange } from '@dewpost/core/quantity';
import type { NodeEntry, PointEntry } from '../model/entries';
import type { Item } from './batch';

const QUANTITIES = { 'dew-point': dewPointCelsius } as const;

/** A derived point with the newest reading of each of its inputs, for inputs that come in separate messages. */
interface Derivation {
  point: PointEntry;
  from: readonly string[];
  known: (Item | undefined)[];
}
const derivations = new WeakMap<NodeEntry, Derivation[]>();

/**
 * Applies the calibration in force at each reading's time and adds the points that are computed from others, once all their inputs of the
 * same instant are known.
 */
export function convert(items: readonly Item[]): Item[] {
  const all: Item[] = [];
  for (const item of items) {
    const { calibrations, body } = item.point;
    if (calibrations.length > 0 || body.raw !== null) item.value = valueAt(body.raw, calibrations, item.at, item.raw);
    all.push(item);
    for (const derivation of derivationsOf(item.point.node)) {
      const derived = derive(derivation, item);
      if (derived) all.push(derived);
    }
  }
  return all;
}

function derivationsOf(node: NodeEntry): readonly Derivation[] {
  const known = derivations.get(node);
  if (known) return known;
  const made = [...node.points.values()].flatMap((point): Derivation[] => {
    const rule = point.body.derived;
    return rule ? [{ point, from: rule.from, known: rule.from.map(() => undefined) }] : [];
  });
  derivations.set(node, made);
  return made;
}

function derive({ point, from, known }: Derivation, item: Item): Item | null {
  const place = from.indexOf(item.point.name);
  if (place === -1) return null;
  known[place] = item;
  let flags = 0;
  for (const input of known) {
    if (input?.at !== item.at) return null;
    flags |= input.flags;
  }
  const inputs = known.filter((input) => input !== undefined);
  const value = derivedValue(point, inputs);
  return value === null ? null : { ...item, point, raw: value, value, flags, inputs };
}

/** What a derived point comes to from values of its inputs, in the order its rule names them; `null`: these have no such quantity. */
export function derivedValue({ body }: PointEntry, inputs: readonly { point: PointEntry; value: number }[]): number | null {
  const change = unitChange('°C', body.unit);
  if (!body.derived || change === null) return null;
  const celsius = QUANTITIES[body.derived.quantity](inCelsius(inputs[0]), inputs[1]?.value ?? NaN);
  return celsius === null ? null : celsius * change.factor + change.offset;
}

/** A temperature as the formulas want it, whatever unit its point is told in. */
function inCelsius(input: { point: PointEntry; value: number } | undefined): number {
  const change = input ? unitChange(input.point.body.unit, '°C') : null;
  return input && change ? input.value * change.factor + change.offset : NaN;
}
