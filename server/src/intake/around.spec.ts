import type { Draft } from '../engine/draft';
import type { NodeEntry, PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { around } from './around';

const node = (name: string, room: string, leastVolts: number | null = null, batteryVolts?: number): NodeEntry =>
  ({ name, room, leastVolts, hello: batteryVolts === undefined ? null : { batteryVolts }, points: new Map() }) as unknown as NodeEntry;
let next = 1;
function point(of: NodeEntry, name: string, unit: string, more: Partial<PointEntry['body']> = {}): PointEntry {
  const made = {
    id: next++,
    node: of,
    name,
    body: { unit, kind: 'measured', spikeStep: 8, raw: null, ...more },
    calibrations: [],
  } as unknown as PointEntry;
  of.points.set(name, made);
  return made;
}
const house = (...nodes: NodeEntry[]): Registry => ({ nodes: new Map(nodes.map((one) => [one.name, one])) }) as unknown as Registry;
const draft = (newest: readonly (readonly [PointEntry, number, string?])[]): Draft =>
  ({ newest: new Map(newest.map(([{ id }, value, quality = 'good']) => [id, { value, quality }])) }) as unknown as Draft;

describe('what is around a reading', () => {
  it('others are good values of its unit at other nodes of its room, and nothing else', () => {
    const [own, other, far] = [node('a', 'Loft'), node('b', 'Loft'), node('c', 'Cellar')];
    const mine = point(own, 'temperature', '°C');
    const sibling = point(own, 'temperature-2', '°C');
    const theirs = point(other, 'air', '°C');
    const doubted = point(other, 'air-2', '°C');
    const humid = point(other, 'humidity', '%');
    const contact = point(other, 'knob', '°C', { spikeStep: null });
    const derived = point(other, 'dew-point', '°C', { kind: 'derived' });
    const raw = { unit: 'mV', min: 0, max: 3300, step: 1, direction: null, nominal: null };
    const counts = point(other, 'bath', '°C', { raw });
    // Known to the house, never heard.
    point(other, 'air-3', '°C');
    const away = point(far, 'temperature', '°C');
    const known = draft([
      [mine, 20],
      [sibling, 20],
      [theirs, 22],
      [doubted, 90, 'suspect'],
      [humid, 60],
      [contact, 1],
      [derived, 9],
      [away, 12],
      [counts, 1650],
    ]);
    expect(around(mine, known, house(own, other, far)).others()).toEqual([[theirs.id, 22]]);
  });

  it('its supply is too low well below the least that it must give, by its own point or else by its last start', () => {
    const low = (of: NodeEntry, volts?: number, quality?: string): boolean => {
      const mine = point(of, 'temperature', '°C');
      const supply = point(of, 'battery-voltage', 'V');
      const registry = house(of);
      const known = draft(volts === undefined ? [] : [[supply, volts, quality ?? 'good']]);
      expect(around(supply, known, registry).supplyLow).toBe(false);
      return around(mine, known, registry).supplyLow;
    };
    expect(low(node('a', 'Loft', 3.3), 3.2)).toBe(false);
    expect(low(node('a', 'Loft', 3.3), 3.1)).toBe(true);
    expect(low(node('a', 'Loft', 3.3, 3.0))).toBe(true);
    expect(low(node('a', 'Loft', 3.3, 3.0), 3.4)).toBe(false);
    expect(low(node('a', 'Loft', 3.3, 3.4), 0.1, 'bad')).toBe(false);
    expect(low(node('a', 'Loft', 3.3))).toBe(false);
    expect(low(node('a', 'Loft', null, 1.0), 1.0)).toBe(false);
  });
});
