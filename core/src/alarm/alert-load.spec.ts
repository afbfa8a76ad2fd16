import { alertLoad, GUIDANCE, peakRate, type CountedAlert } from '.';
import fc from 'fast-check';

const DAY = 86_400_000;
const MINUTE = 60_000;
const alert = (trippedAt: number, change: Partial<CountedAlert> = {}): CountedAlert => ({
  origin: 'rule 1',
  severity: 'advisory',
  trippedAt,
  clearedAt: trippedAt + 5 * MINUTE,
  ...change,
});
const times = (count: number, apart: number, from = 0): CountedAlert[] => Array.from({ length: count }, (_, i) => alert(from + i * apart));

describe('how many alerts there are', () => {
  it('counts those of its time only: the end is left out', () => {
    const load = alertLoad([alert(-1), alert(0), alert(DAY - 1), alert(DAY)], 0, DAY);
    expect([load.count, load.perDay]).toEqual([2, 2]);
    expect(alertLoad([], 0, DAY)).toMatchObject({ count: 0, perDay: 0, peak: 0, floodShare: 0, origins: [], stale: 0 });
  });
  it('one every ten minutes is 144 a day, a little below the published 150 that is very likely acceptable (check value 9.4-04)', () => {
    const load = alertLoad(times(144, 10 * MINUTE), 0, DAY);
    expect(load.perDay).toBe(144);
    expect(load.perDay).toBeLessThan(GUIDANCE.perDay);
  });
  it('the peak is the most in any ten minutes, the end left out (check value 9.4-03: eleven)', () => {
    const seconds = [0, 50, 100, 150, 200, 250, 300, 350, 400, 450, 599, 600];
    const load = alertLoad(
      seconds.map((at) => alert(at * 1000)),
      0,
      DAY,
    );
    expect(load.peak).toBe(11);
  });
  it('is a flood from more than ten in ten minutes until fewer than five', () => {
    // Eleven within ten seconds: it begins with the eleventh, and ends when the seventh is ten minutes old.
    const load = alertLoad(times(11, 1000), 0, DAY);
    expect(load.floodShare * DAY).toBeCloseTo(600_000 + 6000 - 10_000, 3);
    expect(alertLoad(times(10, 1000), 0, DAY).floodShare).toBe(0);
    // Cut off by the end of the time that is looked at.
    expect(alertLoad(times(11, 1000), 0, 20_000).floodShare * 20_000).toBeCloseTo(10_000, 6);
  });
  it('says of each origin how often, how fleeting, how chattering, and since when it stands; who speaks most comes first', () => {
    const standing = { origin: 'silent x', clearedAt: null };
    const all = [
      alert(0, { clearedAt: 59_999 }),
      alert(30_000, { clearedAt: 90_000 }),
      alert(60_000),
      alert(10_000, { ...standing, severity: 'critical' }),
    ];
    const load = alertLoad(all, 0, 2 * DAY);
    expect(load.origins).toEqual([
      { origin: 'rule 1', count: 3, share: 0.75, fleeting: 1, chattering: 3, standsSince: null },
      { origin: 'silent x', count: 1, share: 0.25, fleeting: 0, chattering: 0, standsSince: 10_000 },
    ]);
    expect([load.fleeting, load.chattering, load.stale]).toEqual([1, 3, 1]);
    expect(load.bySeverity).toEqual({ advisory: 3, warning: 0, critical: 1 });
  });
  it('counts what has stood since before this time as stale, and nowhere else', () => {
    const load = alertLoad([alert(-3 * DAY, { clearedAt: null }), alert(-3 * DAY), alert(0)], 0, DAY);
    expect([load.stale, load.count, load.origins[0]?.count]).toEqual([1, 1, 1]);
  });
  it('a fleet that speaks together does not chatter: three within a minute count for one origin only', () => {
    expect(
      alertLoad(
        ['a', 'b', 'c'].map((origin) => alert(1000, { origin })),
        0,
        DAY,
      ).chattering,
    ).toBe(0);
  });
  it('finds the same peak as counting window by window, and never a flood of more than the time (any alerts)', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 3_600_000 }), { maxLength: 60 }), (at) => {
        const load = alertLoad(
          at.map((trippedAt) => alert(trippedAt)),
          0,
          3_600_001,
        );
        expect(load.peak).toBe(peakRate([...at].sort((a, b) => a - b)));
        expect(load.floodShare).toBeGreaterThanOrEqual(0);
        expect(load.floodShare).toBeLessThanOrEqual(1);
      }),
    );
  });
});
