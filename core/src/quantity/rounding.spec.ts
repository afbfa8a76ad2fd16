import fc from 'fast-check';
import { celsiusToFahrenheit, fahrenheitToCelsius, isoWeekDate, rfc3339Seconds, roundHalfAway, roundHalfEven } from '.';

describe('rounding on the decimal text', () => {
  it('does what people expect where binary arithmetic does not', () => {
    // Measured in Node.js 20: (1.005).toFixed(2) is "1.00", Math.round(-2.5) is -2, Math.round(-0.5) is -0.
    expect([roundHalfAway(1.005, 2), roundHalfAway(-2.5), roundHalfAway(1.45, 1), roundHalfAway(10.235, 2)]).toEqual([
      1.01, -3, 1.5, 10.24,
    ]);
    expect([roundHalfEven(2.5), roundHalfEven(3.5), roundHalfEven(-2.5), roundHalfEven(2.345, 2)]).toEqual([2, 4, -2, 2.34]);
    expect(Object.is(roundHalfAway(-0.2), 0)).toBe(true);
    expect([roundHalfAway(1e21), roundHalfAway(5e-7, 6), roundHalfAway(NaN)]).toEqual([1e21, 0.000001, NaN]);
  });
  it('never moves a value by more than half a unit, and twice is once', () => {
    fc.assert(
      fc.property(fc.double({ min: -1e9, max: 1e9, noNaN: true }), fc.integer({ min: 0, max: 6 }), (value, decimals) => {
        for (const round of [roundHalfAway, roundHalfEven]) {
          const rounded = round(value, decimals);
          expect(Math.abs(rounded - value)).toBeLessThanOrEqual(0.5 * 10 ** -decimals * (1 + 1e-9) + Math.abs(value) * 1e-15);
          expect(round(rounded, decimals)).toBe(rounded);
        }
      }),
    );
  });
});

describe('times and units', () => {
  it('RFC 3339 times agree with the platform wherever both read them', () => {
    fc.assert(
      fc.property(fc.date({ min: new Date('1970-01-01'), max: new Date('2100-01-01'), noInvalidDate: true }), (date) => {
        expect(rfc3339Seconds(date.toISOString())).toBeCloseTo(date.getTime() / 1000, 6);
      }),
    );
    for (const bad of ['2026-11-25', '2026-13-01T00:00:00Z', '2026-11-25T24:00:00Z', '2026-11-25T10:00:00', 'yesterday'])
      expect(rfc3339Seconds(bad)).toBeNull();
  });
  it('a week has seven days and begins on Monday', () => {
    expect(['2026-11-23', '2026-11-29', '2026-11-30'].map(isoWeekDate)).toEqual(['2026-W48-1', '2026-W48-7', '2026-W49-1']);
    expect(isoWeekDate('no date')).toBeNull();
  });
  it('degrees come back', () => {
    fc.assert(
      fc.property(fc.double({ min: -100, max: 100, noNaN: true }), (celsius) =>
        expect(fahrenheitToCelsius(celsiusToFahrenheit(celsius))).toBeCloseTo(celsius, 9),
      ),
    );
  });
});
