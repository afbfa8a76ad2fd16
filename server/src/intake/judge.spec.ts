import { INITIAL_QUALITY_STATE, type QualityState } from '@dewpost/core/series';
import type { Draft } from '../engine/draft';
import type { PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { emptyVerdict, type Item, type Verdict } from './batch';
import { judge } from './judge';

const RAW = { unit: 'counts', min: 0, max: 4095, step: 1, direction: 'falls', nominal: null } as const;
const point = (raw: typeof RAW | null): PointEntry =>
  ({
    id: 1,
    name: 'soil-moisture',
    body: { raw, kind: 'measured', unit: '%', min: 0, max: 60, physicalMin: -20, physicalMax: 120, decimals: 0 },
    calibrations: [{ version: 1, from: 0, gain: -0.02, offset: 80 }],
    node: { reportSeconds: 60, leastVolts: null, points: new Map() },
  }) as unknown as PointEntry;
const reading = (of: PointEntry, raw: number, value: number, inputs?: readonly Item[]): Item => ({
  ...{ message: 0, point: of, at: 1000, raw, value, flags: 0, quality: 'good', reason: null, arrivedAt: 1000 },
  ...(inputs && { inputs }),
});

/** Judges readings one after the other; gives what each is, and what its node is told. */
const stuckSooner = new Map<number, number>();
function judged(...items: Item[]): { qualities: (string | null)[][]; told: Verdict['refused']; states: number } {
  const kept = new Map<number, QualityState>();
  const draft = {
    quality: (id: number) => kept.get(id) ?? INITIAL_QUALITY_STATE,
    setQuality: (id: number, state: QualityState) => kept.set(id, state),
  } as unknown as Draft;
  const verdict = emptyVerdict();
  judge(items, [verdict], draft, { nodes: new Map(), stuckSooner } as unknown as Registry);
  return { qualities: items.map(({ quality, reason }) => [quality, reason]), told: verdict.refused, states: kept.size };
}

describe('the quality of a reading', () => {
  it('a raw value that its node cannot send is bad, whatever it would be converted to; the node is told in raw words, and no habit is learnt of it', () => {
    const { qualities, told, states } = judged(reading(point(RAW), 5000, 30));
    expect([qualities, states]).toEqual([[['bad', 'out-of-range']], 0]);
    expect(told).toEqual([
      { point: 'soil-moisture', why: expect.stringMatching(/^outside .* \(0 to 4\s095 counts\): stored as bad, not used$/) },
    ]);
  });

  it('one at the end of its raw scale is suspect; where its value cannot be either, it is bad', () => {
    const soil = point(RAW);
    expect(judged(reading(soil, 4095, 0)).qualities).toEqual([['suspect', 'rail']]);
    const { qualities, told } = judged(reading(soil, 0, 500));
    expect(qualities).toEqual([['bad', 'out-of-range']]);
    expect(told).toHaveLength(1);
  });

  it('one that is neither is good, and its node hears nothing', () => {
    expect(judged(reading(point(RAW), 2000, 40), reading(point(null), 40, 40))).toMatchObject({
      qualities: [
        ['good', null],
        ['good', null],
      ],
      told: [],
      states: 1,
    });
  });

  it('what is computed is no better than the worst of what it was computed from, and no worse', () => {
    const soil = point(RAW);
    const from = (...qualities: Item['quality'][]): Item[] =>
      qualities.map((quality) => ({ ...reading(soil, 2000, 40), quality, reason: quality === 'good' ? null : `of ${quality}` }));
    expect(judged(reading(point(null), 40, 40, from('good', 'suspect', 'good'))).qualities).toEqual([['suspect', 'of suspect']]);
    expect(judged(reading(point(null), 40, 40, from('bad', 'suspect'))).qualities).toEqual([['bad', 'of bad']]);
    expect(judged(reading(point(null), 40, 40, from('good'))).qualities).toEqual([['good', null]]);
  });

  it('what its sensor gives where it failed is bad by its own reason, and the node is told so', () => {
    const coded = point(null);
    coded.body.faultValues = [85, 0];
    const { qualities, told, states } = judged(reading(coded, 85, 85), reading(coded, 84, 84));
    expect([qualities, states]).toEqual([
      [
        ['bad', 'fault'],
        ['good', null],
      ],
      1,
    ]);
    expect(told).toEqual([{ point: 'soil-moisture', why: expect.stringMatching(/^85 is what its sensor gives where a reading failed/) }]);
  });
});
