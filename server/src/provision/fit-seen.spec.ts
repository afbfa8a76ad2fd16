import type { NodeEntry, PointEntry } from '../model/entries';
import { judgeSeen, type Seen } from './fit-seen';

const point = (name: string, label: string): [string, PointEntry] => [
  name,
  {
    id: name.length,
    name,
    body: { label, unit: '°C', decimals: 1, physicalMin: -40, physicalMax: 85, kind: 'measured' },
  } as unknown as PointEntry,
];
const nodeOf = (change: object = {}): NodeEntry =>
  ({
    ...{ name: 'loft-1', connected: false, points: new Map([point('temperature', 'Air temperature'), point('fan', 'Fan')]) },
    ...change,
  }) as unknown as NodeEntry;
const judged = (seen: Seen, change: object = {}, known: Partial<Parameters<typeof judgeSeen>[2]> = {}) =>
  judgeSeen(nodeOf(change), seen, {
    build: { least: 3.1, battery: true, selfTests: new Map(), uncalibrated: new Set() },
    needs: () => [{ id: 'supply', kind: 'supply', point: null }] as never,
    newest: () => ({ value: 21.4, quality: 'good' }),
    readBackAt: () => 0,
    operatedAt: () => Infinity,
    ...known,
  });

describe('what somebody beside a node says of it', () => {
  it('a level by eye counts only of a node that cannot tell it itself', () => {
    expect(judged({ kind: 'signal', dbm: -60 })).toMatchObject({ need: 'signal', possible: true, verdict: { passed: true } });
    expect(judged({ kind: 'signal', dbm: -95 }).verdict.passed).toBe(false);
    expect(() => judged({ kind: 'signal', dbm: -60 }, { connected: true })).toThrow(/let it tell its level/);
  });
  it('volts are held against the least that its supply may have', () => {
    expect(judged({ kind: 'supply', volts: 3.2 }).verdict.passed).toBe(true);
    expect(judged({ kind: 'supply', volts: 2.9 }).verdict.passed).toBe(false);
  });
  it('a reading is compared with one that is there and good', () => {
    const reading = (hand: number): Seen => ({ kind: 'reading', point: 'temperature', hand, tolerance: 0.5 });
    expect(judged(reading(21.2))).toMatchObject({ need: 'reading:temperature', verdict: { passed: true } });
    expect(judged(reading(24)).verdict.passed).toBe(false);
    for (const newest of [undefined, { value: 21.4, quality: 'bad' as const }])
      expect(() => judged(reading(21.4), {}, { newest: () => newest })).toThrow(/no good reading/);
    expect(() => judged({ kind: 'reading', point: 'gone', hand: 1, tolerance: 1 })).toThrow(/point gone of loft-1/);
  });
  it('an output that nobody has operated since was not seen to move; one that was seen not to move need not be', () => {
    const output = (seen: boolean): Seen => ({ kind: 'output', point: 'fan', seen });
    expect(() => judged(output(true))).toThrow(/Operate fan first/);
    expect(() => judged(output(true), {}, { operatedAt: () => 100, readBackAt: () => 99 })).toThrow(/Operate fan first/);
    expect(judged(output(true), {}, { operatedAt: () => 100, readBackAt: () => 100 }).verdict.passed).toBe(true);
    expect(judged(output(false)).verdict.passed).toBe(false);
  });
  it('what is not possible is a need of this node, with its reason, and no pass', () => {
    expect(judged({ kind: 'not-possible', need: 'supply', because: 'no meter' })).toEqual({
      ...{ need: 'supply', possible: false },
      verdict: { passed: false, text: 'not possible, because: no meter' },
    });
    expect(() => judged({ kind: 'not-possible', need: 'output:heater', because: 'no meter' })).toThrow(/check output:heater/);
  });
});
