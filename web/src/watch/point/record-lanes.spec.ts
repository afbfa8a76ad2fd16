import type { PointRecord } from '@dewpost/contract';
import { NOON } from '../../testing/rig';
import { laneShapes, laneWords } from './record-lanes';

const drawn = { at: String, colour: (name: string) => name };
const record = (change: Partial<PointRecord> = {}) => ({
  ...{ from: NOON, to: NOON + 1000, alerts: [], happenings: [], switched: [] },
  ...change,
});
const outputs = new Map([[9, 'Humidifier, prove-relays']]);
const calibration = (from: number, withdrawnAt: number | null = null) => ({ from, version: 2, withdrawnAt });

describe('the lanes beneath a record', () => {
  it('name what stands in them; the lane of outputs says which', () => {
    const words = (given: ReturnType<typeof record>): string[] =>
      laneWords({ record: given, calibrations: [], outputs }, drawn).map(({ text = '' }) => text);
    expect(words(record())).toEqual(['alerts', 'outputs', 'calibration', 'notes']);
    expect(words(record({ switched: [{ output: 9, from: NOON, to: null }] }))[1]).toBe('on: Humidifier, prove-relays');
  });

  it('what was on before or is on still is drawn to the ends of the span, no further', () => {
    const switched = [
      { output: 9, from: NOON - 500, to: NOON + 100 },
      { output: 9, from: NOON + 800, to: null },
    ];
    const blocks = laneShapes({ record: record({ switched }), calibrations: [], outputs }, drawn).filter(({ type }) => type === 'rect');
    expect(blocks.map(({ x0, x1 }) => [Number(x0) - NOON, Number(x1) - NOON])).toEqual([
      [0, 100],
      [800, 1000],
    ]);
  });

  it('posts stand where a calibration begins that was not withdrawn, and at notes; markup in a note is no markup', () => {
    const happenings = [
      { id: 1, at: NOON + 5, kind: 'note' as const, text: '<b>' + 'long words '.repeat(5), ofNode: false, by: 'baker' },
      { id: 2, at: NOON + 6, kind: 'firmware' as const, text: '1.0.0 → 1.1.0', ofNode: true, by: null },
    ];
    const given = {
      record: record({ happenings }),
      calibrations: [calibration(NOON + 1), calibration(NOON + 2, NOON), calibration(NOON - 1)],
      outputs,
    };
    const posts = laneShapes(given, drawn).filter(({ type, xref }) => type === 'line' && xref === 'x');
    expect(posts.map(({ x0 }) => Number(x0) - NOON)).toEqual([1, 5, 6]);
    const words = laneWords(given, drawn).map(({ text = '' }) => text);
    expect(words).toContain(' version 2');
    expect(words).toContain(' firmware 1.0.0 → 1.1.0');
    const said = words.find((text) => text.includes('long words')) ?? '';
    expect([said.includes('<b>'), said.length < 45]).toEqual([false, true]);
  });
});
