import type { StretchRow } from '@dewpost/contract';
import { figuresOf } from '@dewpost/core/series';
import { aPoint, NOON } from '../../testing/rig';
import { beyondLimits, bucketsOf, missingIn } from './record-figures';

const stretch = (i: number, mean: number, more: Partial<{ low: number; high: number; count: number; bad: number }> = {}): StretchRow => {
  const at = NOON + i * 60_000;
  return [at, more.low ?? mean, mean, more.high ?? mean, more.count ?? 2, 0, more.bad ?? 0, 0, at, at + 30_000];
};
const empty = (i: number): StretchRow => [NOON + i * 60_000, null, null, null, 0, 0, 3, 0, null, null];

describe('figures of a record', () => {
  it('are those of its stretches: means weighed by readings, extremes whole, bad ones beside', () => {
    const stretches = [stretch(0, 20, { low: 18 }), stretch(1, 30, { high: 33, count: 6 }), empty(2)];
    expect(figuresOf(bucketsOf({ stretches }))).toMatchObject({ mean: 27.5, count: 8, bad: 3 });
    const figures = figuresOf(bucketsOf({ stretches }));
    expect([figures?.low.low, figures?.high.high]).toEqual([18, 33]);
  });
  it('time beyond a limit counts whole stretches, the last one as far as it goes; empty ones are beyond nothing', () => {
    const record = { stretches: [stretch(0, 20), stretch(1, 26), empty(2), stretch(3, 27)], width: 60_000, to: NOON + 190_000 };
    const [high, low] = beyondLimits(record, [
      { side: 'high', setpoint: 26 },
      { side: 'low', setpoint: 20 },
    ]);
    expect([high?.ms, low?.ms]).toEqual([70_000, 60_000]);
  });
  it('what is missing is missing in gaps, from the first reading on and up to now; what reports when it changes misses nothing', () => {
    const stretches = [empty(0), ...[1, 2, 3, 4, 5, 16, 17].map((i) => stretch(i, 20))];
    const record = { stretches, to: NOON + 60_000 * 40, reportSeconds: 30, width: 60_000, point: aPoint() };
    expect(missingIn(record, NOON + 60_000 * 18)).toEqual({ gaps: [{ from: NOON + 5.5 * 60_000, to: NOON + 16 * 60_000 }], missing: 20 });
    expect(missingIn({ ...record, point: aPoint({ confirm: 'hold' }) }, record.to).missing).toBe(0);
  });
});
