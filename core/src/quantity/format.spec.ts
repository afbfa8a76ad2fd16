import fc from 'fast-check';
import { formatDuration, formatNumber, formatSpan, scaleSteps } from '.';

describe('numbers for people', () => {
  it('use a true minus sign, thin spaces and never show minus zero', () => {
    expect(formatNumber(-1180.25, 1)).toBe('\u22121\u2009180.3');
    expect(formatNumber(-0.01, 1)).toBe('0.0');
    // Halves away from zero on the decimal text: (1.45).toFixed(1) is 1.4, (1.005).toFixed(2) is 1.00.
    expect([formatNumber(1.45, 1), formatNumber(1.005, 2), formatNumber(-2.5), formatNumber(8.345, 2)]).toEqual([
      '1.5',
      '1.01',
      '\u22123',
      '8.35',
    ]);
    expect(formatNumber(NaN)).toBe('–');
    expect(formatNumber(null)).toBe('–');
  });
  it('durations stay short', () => {
    expect([0, 89_000, 90_000, 5_400_000, 13_860_000, 200_000_000].map(formatDuration)).toEqual([
      '0 s',
      '89 s',
      '2 min',
      '1 h 30',
      '3 h 51',
      '2 d',
    ]);
  });
  it('what somebody set is said to the second', () => {
    expect([0, 0.5, 59, 90, 120, 3600, 5430, 86_400].map(formatSpan)).toEqual([
      '0 s',
      '0.5 s',
      '59 s',
      '1 min 30 s',
      '2 min',
      '1 h',
      '1 h 30 min 30 s',
      '24 h',
    ]);
  });
  it('a scale has 3 to 9 figures whatever its range', () => {
    fc.assert(
      fc.property(fc.double({ min: -1e6, max: 1e6, noNaN: true }), fc.double({ min: 1e-3, max: 1e6, noNaN: true }), (low, span) => {
        const { major, minor } = scaleSteps(low, low + span);
        const figures = span / major;
        expect(figures).toBeGreaterThan(2.9);
        expect(figures).toBeLessThanOrEqual(8.0001);
        expect(major / minor).toBeCloseTo(Math.round(major / minor), 6);
      }),
    );
  });
});
