import fc from 'fast-check';
import { alertLoad, floodAt, floodShifted, isSumDue, NO_FLOOD, summed, toldBy, type Flood, type Opening } from '.';

const T0 = Date.UTC(2026, 10, 28, 12);
const MIN = 60_000;
const opening = (i: number, at: number): Opening => ({ key: `t${i}`, at, title: `alert ${i}` });
const after = (count: number, apart: number): Flood =>
  Array.from({ length: count }, (_, i) => opening(i, T0 + i * apart)).reduce((flood, one) => floodAt(flood, one.at, [one]), NO_FLOOD);

describe('a flood of alerts', () => {
  it('is more than ten in ten minutes (ANSI/ISA-18.2, EEMUA 191), and over below five', () => {
    expect(after(10, 1000).since).toBeNull();
    expect(after(11, 1000).since).toBe(T0 + 10_000);
    // Eleven, but in more than ten minutes.
    expect(after(11, 61_000).since).toBeNull();
    const flood = after(11, 1000);
    expect(floodAt(flood, T0 + 10 * MIN + 5999).since).toBe(T0 + 10_000);
    expect(floodAt(flood, T0 + 10 * MIN + 7000).since).toBeNull();
  });

  it('what came first and what is critical is told by itself; all else in one message, five seconds later and once a minute', () => {
    const flood = after(11, 1000);
    expect([toldBy(flood, 'warning', 't0'), toldBy(flood, 'advisory', 't3'), toldBy(flood, 'warning', 't10')]).toEqual([
      'itself',
      'sum',
      'sum',
    ]);
    expect(toldBy(flood, 'critical', 't10')).toBe('itself');
    const begun = T0 + 10_000;
    expect([isSumDue(flood, begun + 4999), isSumDue(flood, begun + 5000)]).toEqual([false, true]);
    const later = summed(flood, begun + 5000);
    expect([isSumDue(later, begun + 64_999), isSumDue(later, begun + 65_000)]).toEqual([false, true]);
  });

  it('many at the same moment are one flood from its first on', () => {
    const flood = floodAt(
      NO_FLOOD,
      T0,
      Array.from({ length: 15 }, (_, i) => opening(i, T0)),
    );
    expect([flood.since, flood.first?.key, toldBy(flood, 'warning', 't1')]).toEqual([T0, 't0', 'sum']);
  });

  it('while there is none everything is told by itself (any openings)', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 20 * MIN }), { maxLength: 40 }), (gaps) => {
        let [flood, now] = [NO_FLOOD, T0];
        const times: number[] = [];
        gaps.forEach((gap, i) => {
          now += gap;
          times.push(now);
          flood = floodAt(flood, now, [opening(i, now)]);
          if (flood.since === null) expect(toldBy(flood, 'advisory', `t${i}`)).toBe('itself');
        });
        // The same crowding that the counts find over the whole time.
        const load = alertLoad(
          times.map((at) => ({ origin: 'a', severity: 'warning' as const, trippedAt: at, clearedAt: at + 1 })),
          T0,
          now + 1,
        );
        if (load.floodShare === 0) expect(flood.since).toBeNull();
      }),
    );
  });

  it('a set clock neither begins nor ends it', () => {
    const flood = after(11, 1000);
    for (const by of [3_600_000, -3_600_000]) {
      const moved = floodShifted(flood, by);
      expect(floodAt(moved, T0 + 11_000 + by).since).toBe(T0 + 10_000 + by);
      expect(isSumDue(moved, T0 + 14_999 + by)).toBe(false);
    }
    expect(floodShifted(NO_FLOOD, 5000)).toMatchObject({ since: null, first: null });
  });
});
