import fc from 'fast-check';
import jstat from 'jstat';
import * as reference from 'simple-statistics';
import { leastSquares } from '../calibration';
import {
  effectiveCount,
  extremePlaces,
  isStuck,
  largestTriangles,
  logGamma,
  paired,
  percentile,
  smoothedLimits,
  exponential,
  studentCritical,
  studentTwoSided,
  welch,
} from '.';

// Reference libraries: jStat 1.9.6 and simple-statistics 7.12.1.
describe('against libraries of the registry', () => {
  it('Student’s distribution is jStat’s, and its critical values those of the tables', () => {
    for (const df of [1, 2, 3.5, 9, 17.776, 30, 200])
      for (const t of [0.01, 0.5, 1, 2.26, 5, 12]) expect(studentTwoSided(t, df)).toBeCloseTo(2 * (1 - jstat.studentt.cdf(t, df)), 6);
    // Closed forms with one and two degrees of freedom.
    for (const t of [0.01, 1, 7]) {
      expect(studentTwoSided(t, 1)).toBeCloseTo(1 - (2 / Math.PI) * Math.atan(t), 12);
      expect(studentTwoSided(t, 2)).toBeCloseTo(1 - t / Math.sqrt(2 + t * t), 12);
    }
    // Standard table, 95 % two-sided.
    expect([1, 2, 5, 10, 30, 120].map((df) => studentCritical(0.95, df).toFixed(3))).toEqual([
      '12.706',
      '4.303',
      '2.571',
      '2.228',
      '2.042',
      '1.980',
    ]);
    for (const x of [0.5, 1, 4.5, 20, 100]) expect(logGamma(x)).toBeCloseTo(jstat.gammaln(x), 8);
  });
  it('least squares is simple-statistics’ line, on any points', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.tuple(fc.integer({ min: -500, max: 500 }), fc.integer({ min: -500, max: 500 })), {
          minLength: 3,
          maxLength: 30,
          selector: ([x]) => x,
        }),
        (rows) => {
          const line = reference.linearRegression(rows);
          const { slope, intercept } = leastSquares(rows.map(([x, y]) => ({ x, y })));
          expect(slope).toBeCloseTo(line.m, 8);
          expect(intercept).toBeCloseTo(line.b, 6);
        },
      ),
    );
  });
});

describe('comparing sensors', () => {
  const base = Array.from({ length: 30 }, (_, i) => 20 + 3 * Math.sin(i / 5));
  const noise = Array.from({ length: 30 }, (_, i) => 0.1 * Math.cos(i * 2.7));
  it('pairs see a small bias in air that changes, where samples apart from each other do not', () => {
    const off = base.map((value, i) => value + 0.3 + (noise[i] ?? 0));
    const both = paired(off, base)!;
    expect(both.bias).toBeCloseTo(0.3, 2);
    expect(both.p).toBeLessThan(1e-9);
    expect(welch(off, base).p).toBeGreaterThan(0.3);
    expect(Math.abs(both.bias - 0.3)).toBeLessThan(both.halfWidth);
    expect([paired([1], [2]), paired([1, 2], [2, 3]), paired([1, 2, 3], [1, 2])]).toEqual([null, null, null]);
  });
  it('readings that resemble each other count for fewer', () => {
    expect([effectiveCount(100, 0), effectiveCount(100, 0.8)]).toEqual([100, expect.closeTo(11.11, 2)]);
  });
  it('percentiles lie within, in order, and of nothing there is none', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ noNaN: true, min: -1e6, max: 1e6 }), { minLength: 1 }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (values, share) => {
          const at = percentile(values, share)!;
          expect(at).toBeGreaterThanOrEqual(Math.min(...values));
          expect(at).toBeLessThanOrEqual(Math.max(...values));
        },
      ),
    );
    expect(percentile([], 0.5)).toBeNull();
  });
});

describe('fewer points for the same look', () => {
  it('both ends stay, places rise, and there are as many as were asked for', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: -50, max: 50 }), { minLength: 3, maxLength: 80 }),
        fc.integer({ min: 3, max: 90 }),
        (values, most) => {
          const places = largestTriangles(
            values.map((value, i) => [i, value] as const),
            most,
          );
          expect(places).toHaveLength(Math.min(most, values.length));
          expect([places[0], places.at(-1)]).toEqual([0, values.length - 1]);
          expect(places.every((place, i) => i === 0 || place > places[i - 1]!)).toBe(true);
        },
      ),
    );
  });
  it('lowest and highest of every stretch are never lost', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: -50, max: 50 }), { minLength: 1, maxLength: 80 }),
        fc.integer({ min: 1, max: 9 }),
        (values, width) => {
          const kept = extremePlaces(values, width).map((place) => values[place]!);
          expect([Math.min(...kept), Math.max(...kept)]).toEqual([Math.min(...values), Math.max(...values)]);
        },
      ),
    );
  });
  it('a sensor that says nothing new is stuck; limits of smoothed values widen to their last width', () => {
    expect([isStuck([21, 21.05], 0.1), isStuck([21, 21.2], 0.1)]).toEqual([true, false]);
    const widths = [1, 2, 5, 50].map((t) => smoothedLimits(0, 1, 0.2, 3, t)[1]);
    expect(widths).toEqual([...widths].sort((a, b) => a - b));
    expect(widths[3]).toBeCloseTo(smoothedLimits(0, 1, 0.2, 3)[1], 6);
    expect(exponential([10, 10, 10], 0.5, 0)).toEqual([5, 7.5, 8.75]);
  });
});
