import * as fc from 'fast-check';
import { NORRIS } from '../../checks/datasets';
import { calibrated, fitCalibration, inForceAt, leastSquares, settledValue } from '.';

// NIST StRD, dataset Norris (linear, 36 observations) and its certified values.

describe('least squares', () => {
  it('NIST StRD Norris, certified values', () => {
    const fit = leastSquares(NORRIS.map(([x, y]) => ({ x, y })));
    expect(fit.slope).toBeCloseTo(1.00211681802045, 12);
    expect(fit.intercept).toBeCloseTo(-0.262323073774029, 11);
    expect(fit.s).toBeCloseTo(0.884796396144373, 11);
    expect(fit.seSlope).toBeCloseTo(0.000429796848199937, 14);
    expect(fit.seIntercept).toBeCloseTo(0.232818234301152, 11);
  });
  it('Anscombe (1973), set 1: slope 0.5, intercept 3.0, R² 0.67', () => {
    const [xs, ys] = [
      [10, 8, 13, 9, 11, 14, 6, 4, 12, 7, 5],
      [8.04, 6.95, 7.58, 8.81, 8.33, 9.96, 7.24, 4.26, 10.84, 4.82, 5.68],
    ];
    const { slope, intercept, rSquared } = leastSquares(xs!.map((x, i) => ({ x, y: ys![i]! })));
    expect([slope, intercept, rSquared].map((value) => Number(value.toFixed(2)))).toEqual([0.5, 3, 0.67]);
  });
});

describe('a calibration', () => {
  const STEP = { step: 0.1 };
  it('two points of a soil probe, dry 2.60 V, wet 1.20 V: 1.90 V is 50 % (check value 3.11-01)', () => {
    const fitted = fitCalibration(
      'two-point',
      [
        { raw: 2.6, reference: 0 },
        { raw: 1.2, reference: 100 },
      ],
      STEP,
    );
    if (typeof fitted === 'string') throw new Error(fitted);
    expect(calibrated(fitted.coefficients, 1.9)).toBeCloseTo(50, 9);
    expect(calibrated(fitted.coefficients, 2.6)).toBeCloseTo(0, 9);
  });
  it('one reference shifts; several are their mean, and their spread is in the uncertainty', () => {
    expect(fitCalibration('offset', [{ raw: 20, reference: 21.4 }], STEP)).toMatchObject({
      coefficients: { gain: 1, offset: expect.closeTo(1.4, 9) as number },
      // 0.1 / √12: the step alone.
      uncertainty: expect.closeTo(0.028_867_5, 6) as number,
    });
    const more = fitCalibration(
      'offset',
      [
        { raw: 20, reference: 21 },
        { raw: 20, reference: 22 },
      ],
      STEP,
    );
    expect(more).toMatchObject({ coefficients: { gain: 1, offset: 1.5 }, residuals: [-0.5, 0.5] });
    expect((more as { uncertainty: number }).uncertainty).toBeCloseTo(Math.hypot(0.1 / Math.sqrt(12), Math.SQRT1_2 / Math.SQRT2), 9);
  });
  it.each([
    ['offset', [], /at least one/],
    ['two-point', [{ raw: 1, reference: 1 }], /there are 1/],
    [
      'two-point',
      [
        { raw: 1, reference: 1 },
        { raw: 1, reference: 5 },
      ],
      /all captures are at one value/,
    ],
    [
      'two-point',
      [
        { raw: 1, reference: 5 },
        { raw: 2, reference: 5 },
      ],
      /the reference stood still/,
    ],
    [
      'linear',
      [
        { raw: 1, reference: 1 },
        { raw: 2, reference: 2 },
      ],
      /three captures at least/,
    ],
    [
      'linear',
      [
        { raw: 3, reference: 1 },
        { raw: 3, reference: 2 },
        { raw: 3, reference: 3 },
      ],
      /at one value/,
    ],
    ['offset', [{ raw: NaN, reference: 1 }], /no number/],
  ] as const)('%s of %j cannot be fitted, and says why', (method, captures, why) => {
    expect(fitCalibration(method, captures, STEP)).toMatch(why);
  });
  it('a line through any captures that lie on one is that line, whatever their order', () => {
    const figure = fc.double({ min: -1000, max: 1000, noNaN: true });
    fc.assert(
      fc.property(
        fc.double({ min: 0.01, max: 100, noNaN: true }),
        figure,
        fc.uniqueArray(fc.integer({ min: -500, max: 500 }), { minLength: 3, maxLength: 12 }),
        (gain, offset, raws) => {
          const fitted = fitCalibration(
            'linear',
            raws.map((raw) => ({ raw, reference: gain * raw + offset })),
            STEP,
          );
          if (typeof fitted === 'string') throw new Error(fitted);
          expect(fitted.coefficients.gain).toBeCloseTo(gain, 6);
          expect(calibrated(fitted.coefficients, 7)).toBeCloseTo(gain * 7 + offset, 4);
        },
      ),
    );
  });
  it('the one in force is the last that begins by then; of one begin, the newer version', () => {
    const all = [
      { from: 10, version: 1 },
      { from: 30, version: 2 },
      { from: 20, version: 3 },
      { from: 30, version: 4 },
    ];
    expect([5, 10, 25, 30, 99].map((at) => inForceAt(all, at)?.version ?? null)).toEqual([null, 1, 3, 4, 4]);
  });
  it('a value has settled when the last of them lie within the criterion', () => {
    expect(settledValue([], 1)).toBeNull();
    expect(settledValue([5, 1, 1.1, 1, 1.1, 1], 0.2)).toMatchObject({ settled: true, mean: expect.closeTo(1.04, 9) as number });
    expect(settledValue([1, 1, 1, 1, 2], 0.5)?.settled).toBe(false);
    expect(settledValue([1, 1], 1)?.settled).toBe(false);
  });

  it('a line that explains less than half of the spread is no calibration, and says so', () => {
    const scattered = [13.1, 13.0, 13.15, 13.02].map((reference, i) => ({ raw: 13.14 + i / 100, reference }));
    expect(fitCalibration('linear', scattered, { step: 0.1 })).toMatch(/hardly follows the reference \(R² 0\.\d\d\)/);
    const still = [1, 2, 3].map((raw, i) => ({ raw, reference: 5 + (i % 2) }));
    expect(fitCalibration('linear', still, { step: 0.1 })).toMatch(/hardly follows/);
  });
});
