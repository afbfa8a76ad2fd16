import type { PointEntry } from '../model/entries';
import { hindranceOf } from './hindrance';
import type { OutputsKnown } from './outputs-known';

const NOW = Date.UTC(2026, 10, 28, 12);
const DAY = Date.UTC(2026, 10, 28);
const NONE = { seconds: null, starts: null, litres: null, meter: null, forbids: [] };

function house(limits: object | null, today: object | null = null) {
  const node = { title: 'well', silent: false, reportSeconds: 30 };
  const point = (id: number, body: object): PointEntry =>
    ({ id, node, body: { label: 'Meter', unit: 'l', decimals: 0, confirm: 'readings', ...body }, inputs: [] }) as unknown as PointEntry;
  const meter = point(2, {});
  const output = {
    ...point(1, { label: 'Pump' }),
    limits: limits && {
      version: 1,
      meterAt: null,
      point: (id: number) => (id === 2 ? meter : undefined),
      midnight: () => DAY,
      ...NONE,
      ...limits,
    },
  } as unknown as PointEntry;
  const readings = new Map<number, object>();
  const known = { relays: new Map([[1, { today }]]), newest: readings, demands: new Map(), commands: new Map() } as unknown as OutputsKnown;
  return {
    node,
    output,
    meter,
    read: (value: number, at = NOW, quality = 'good') => readings.set(2, { value, at, quality, reason: null }),
    known,
  };
}

describe('what keeps an output off', () => {
  it('is nothing where nobody has laid anything down', () => {
    const { output, known } = house(null);
    expect(hindranceOf(output, known, NOW)).toBeNull();
  });
  it('is its time of the day, at its figure, counted from midnight', () => {
    const { output, known } = house({ seconds: 3600 }, { day: DAY, runMs: 3_000_000, starts: 2, onSince: NOW });
    expect(hindranceOf(output, known, NOW + 599_999)).toBeNull();
    expect(hindranceOf(output, known, NOW + 600_000)).toEqual({ kind: 'seconds', words: 'its 1 h of the day are spent' });
    // What was yesterday is not counted.
    const next = house({ seconds: 3600 }, { day: DAY - 86_400_000, runMs: 9_000_000, starts: 2, onSince: null });
    expect(hindranceOf(next.output, next.known, NOW)).toBeNull();
  });
  it('is a meter that has counted enough, one that nobody hears, and one of whose midnight nothing is known', () => {
    const { output, known, read, node } = house({ litres: 40, meter: 2 });
    read(140);
    expect(hindranceOf(output, known, NOW)?.kind).toBe('meter');
    output.limits!.meterAt = { day: DAY, count: 100 };
    expect(hindranceOf(output, known, NOW)?.kind).toBe('litres');
    read(139.9);
    expect(hindranceOf(output, known, NOW)).toBeNull();
    for (const spoil of [() => read(120, NOW, 'bad'), () => read(120, NOW - 90_000), () => ((node.silent = true), read(120))]) {
      spoil();
      expect(hindranceOf(output, known, NOW)?.kind).toBe('meter');
    }
    node.silent = false;
    output.limits!.meterAt = { day: DAY - 86_400_000, count: 100 };
    expect(hindranceOf(output, known, NOW)?.kind).toBe('meter');
  });
  it('is a condition that is met, and one on a point that is gone; before all else', () => {
    const spent = { day: DAY, runMs: 9e6, starts: 2, onSince: null };
    const { output, known, read } = house({ seconds: 60, forbids: [{ point: 2, side: 'high', setpoint: 5 }] }, spent);
    read(7);
    expect(hindranceOf(output, known, NOW)).toEqual({ kind: 'forbidden', words: 'forbidden: Meter of well reads 7 l' });
    read(4);
    expect(hindranceOf(output, known, NOW)?.kind).toBe('seconds');
    // Of a contact it is said which it is, and what it said last holds.
    const hatch = house({ forbids: [{ point: 2, side: 'high', setpoint: 0.5 }] });
    Object.assign(hatch.meter.body, { label: 'Hatch open', unit: '', confirm: 'hold', min: 0, max: 1 });
    hatch.read(1, NOW - 86_400_000);
    expect(hindranceOf(hatch.output, hatch.known, NOW)?.words).toBe('forbidden: hatch open, well');
    hatch.read(0);
    expect(hindranceOf(hatch.output, hatch.known, NOW)).toBeNull();
    const gone = house({ forbids: [{ point: 3, side: 'high', setpoint: 5 }] });
    expect(hindranceOf(gone.output, gone.known, NOW)?.words).toBe('forbidden: nobody knows what a point that is gone reads');
  });
});
