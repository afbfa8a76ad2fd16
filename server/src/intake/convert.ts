import { dewPointCelsius } from '@dewpost/core/air';
import type { NodeEntry, PointEntry } from '../site/registry';
import type { Item } from './batch';

const QUANTITIES = { 'dew-point': dewPointCelsius } as const;

/** Derived points of a node, found once. */
const derivedPoints = new WeakMap<NodeEntry, PointEntry[]>();
/** The newest reading of each input of a derived point, for inputs that come in separate messages. */
const inputs = new WeakMap<PointEntry, Map<string, Item>>();

/**
 * Applies the calibration in force (there is none yet: value is raw) and adds the points that are computed from others,
 * once all their inputs of the same instant are known. A derived reading is no better than the worst of its inputs.
 */
export function convert(items: readonly Item[]): Item[] {
  return items.flatMap((item) => [item, ...derivedFrom(item)]);
}

function derivedFrom(item: Item): Item[] {
  const { node } = item.point;
  const points = derivedPoints.get(node) ?? [...node.points.values()].filter((point) => point.body.derived !== null);
  derivedPoints.set(node, points);
  return points.flatMap((point): Item[] => {
    const rule = point.body.derived;
    if (!rule?.from.includes(item.point.name)) return [];
    const known = inputs.get(point) ?? new Map<string, Item>();
    inputs.set(point, known.set(item.point.name, item));
    const values = rule.from.map((name) => known.get(name));
    if (values.some((value) => value?.at !== item.at)) return [];
    const [a, b] = values.map((value) => value?.value ?? NaN);
    const value = QUANTITIES[rule.quantity](a ?? NaN, b ?? NaN);
    return value === null ? [] : [{ ...item, point, raw: value, value, flags: values.reduce((bits, v) => bits | (v?.flags ?? 0), 0) }];
  });
}
