import fc from 'fast-check';
import { calibrated, fitCalibration, piecesOf, rawOf, type Capture, type Coefficients, type Fitted } from '.';
import { slopeAt } from './conversion';
import { parabola } from './curves';

const STEP = { step: 0.001 };
const fit = (...given: Parameters<typeof fitCalibration>): Fitted => {
  const fitted = fitCalibration(...given);
  if (typeof fitted === 'string') throw new Error(fitted);
  return fitted;
};
const at = (...pairs: readonly (readonly [raw: number, reference: number])[]): Capture[] =>
  pairs.map(([raw, reference]) => ({ raw, reference }));

/** NIST StRD, dataset Pontius (a load cell; quadratic, 40 observations), from memory: that the certified values come out vouches for them. */
const DEFLECTION = [
  [0.11019, 0.21956, 0.32949, 0.43899, 0.54803, 0.65694, 0.76562, 0.87487, 0.98292, 1.09146],
  [1.20001, 1.30822, 1.41599, 1.52399, 1.63194, 1.73947, 1.84646, 1.95392, 2.06128, 2.16844],
  [0.11052, 0.22018, 0.32939, 0.43886, 0.54798, 0.65739, 0.76596, 0.87474, 0.983, 1.0915],
  [1.20004, 1.30818, 1.41613, 1.52408, 1.63159, 1.73965, 1.84696, 1.95445, 2.06177, 2.16829],
].flat();
const PONTIUS = DEFLECTION.map((reference, i) => ({ raw: 150_000 * ((i % 20) + 1), reference }));

describe('a parabola', () => {
  it('NIST StRD Pontius, certified values: coefficients to eight digits, residual standard deviation', () => {
    const { gain, offset, curve } = parabola(PONTIUS)!;
    const { square } = curve as { square: number };
    expect(gain / 0.732059160401003e-6).toBeCloseTo(1, 8);
    expect(offset / 0.673565789473684e-3).toBeCloseTo(1, 8);
    expect(square / -0.316081871345029e-14).toBeCloseTo(1, 8);
    const { uncertainty, rSquared } = fit('quadratic', PONTIUS, { step: 0 });
    expect(uncertainty / 0.205177424076185e-3).toBeCloseTo(1, 8);
    expect(rSquared).toBeGreaterThan(0.99999);
  });
  it('any parabola comes back from captures on it', () => {
    fc.assert(
      fc.property(fc.double({ min: -5, max: 5, noNaN: true }), fc.double({ min: 20, max: 90, noNaN: true }), (bend, slope) => {
        const truth = (raw: number): number => 1e-5 * bend * raw * raw + 0.01 * slope * raw - 7;
        const { coefficients, leaveOneOut } = fit(
          'quadratic',
          at(...[0, 300, 900, 1500, 2000].map((raw) => [raw, truth(raw)] as const)),
          STEP,
        );
        for (const raw of [-50, 700, 2100]) expect(calibrated(coefficients, raw)).toBeCloseTo(truth(raw), 6);
        expect(leaveOneOut).toBeLessThan(1e-6);
      }),
    );
  });
  it('is refused where it turns back among its captures, and where it has too few', () => {
    expect(fitCalibration('quadratic', at([0, 1], [1, 4], [2, 4.1], [3, 1.2]), STEP)).toMatch(
      /turns back at raw 1.5\d+, among the captures/,
    );
    expect(fitCalibration('quadratic', at([0, 1], [1, 2], [2, 3]), STEP)).toMatch(/four captures at least, there are 3/);
    expect(fitCalibration('quadratic', at([0, 1], [0, 2], [2, 3], [2, 3.1]), STEP)).toMatch(/three different values/);
  });
});

describe('a table', () => {
  const SENDER = at([240, 0], [103, 50], [33, 100], [170, 22]);
  it('goes through every capture, straight between them, and on past its ends; its pieces leave no gap', () => {
    const { coefficients, residuals } = fit('table', SENDER, STEP);
    for (const { raw, reference } of SENDER) expect(calibrated(coefficients, raw)).toBeCloseTo(reference, 9);
    expect(calibrated(coefficients, 68)).toBeCloseTo(75, 9);
    expect(calibrated(coefficients, 260)).toBeCloseTo(-(22 / 70) * 20, 9);
    expect(residuals).toEqual([0, 0, 0, 0]);
    const pieces = piecesOf(coefficients);
    expect([pieces[0]!.from, pieces.at(-1)!.to]).toEqual([-Infinity, Infinity]);
    for (const [i, piece] of pieces.slice(1).entries()) expect(piece.from).toBe(pieces[i]!.to);
    expect(slopeAt(coefficients, 100)).toBeCloseTo(-50 / 70, 9);
  });
  it('that bends is less certain, by a quarter of what a middle capture is missed by without it', () => {
    // y = x² by hand: without the middle one of 0, 1, 2 the line says 2 where it is 1; true is at most 1/4 off between two neighbours.
    const { leaveOneOut, uncertainty } = fit('table', at([0, 0], [1, 1], [2, 4]), { step: 0 });
    expect([leaveOneOut, uncertainty]).toEqual([1, 0.25]);
  });
  it('is refused where it turns back, stands still, or has two values at one raw', () => {
    for (const wrong of [at([0, 0], [1, 2], [2, 1]), at([0, 0], [1, 1], [2, 1]), at([0, 0], [1, 1], [1, 2])])
      expect(fitCalibration('table', wrong, STEP)).toMatch(/rises or falls all the way/);
  });
  it('keeps its shape when it is shifted by one reference; so does a parabola, and a line its slope', () => {
    const table = fit('table', SENDER, STEP).coefficients;
    const kepts: Coefficients[] = [table, { gain: 2, offset: 1 }, { gain: 0.5, offset: 3, curve: { square: 1e-4, about: 100 } }];
    for (const kept of kepts) {
      const { coefficients } = fit('offset', at([120, calibrated(kept, 120) + 4]), { ...STEP, kept });
      for (const raw of [10, 60, 200]) expect(calibrated(coefficients, raw) - calibrated(kept, raw)).toBeCloseTo(4, 9);
    }
  });
});

describe('the other way round', () => {
  it('the raw value of a value is the one it came from: lines, tables, both branches of parabolas', () => {
    const table = fit('table', at([240, 0], [170, 22], [103, 50], [33, 100]), STEP).coefficients;
    const kinds: readonly (readonly [Coefficients, number, number])[] = [
      [{ gain: -0.5, offset: 3 }, -1000, 1000],
      [table, -20, 400],
      // Its top lies at 50: the captures on its right, and on its left.
      [{ gain: 1, offset: 0, curve: { square: -0.01, about: 100 } }, 50.001, 500],
      [{ gain: 1, offset: 0, curve: { square: -0.01, about: 0 } }, -400, 49.999],
    ];
    fc.assert(
      fc.property(fc.constantFrom(...kinds), fc.double({ min: 0, max: 1, noNaN: true }), ([kind, low, high], share) => {
        const raw = low + (high - low) * share;
        expect(rawOf(kind, calibrated(kind, raw))).toBeCloseTo(raw, 5);
      }),
    );
    expect(rawOf({ gain: 1, offset: 0, curve: { square: -0.01, about: 0 } }, 99)).toBeCloseTo(50, 9);
  });
});

describe('a factor', () => {
  it('is a line through zero by least squares: 1.02 of 2.0 and 4.1 of 8.0 (by hand: 34.84 / 68)', () => {
    const { coefficients } = fit('gain', at([2, 1.02], [8, 4.1]), STEP);
    expect(coefficients).toEqual({ gain: expect.closeTo(34.84 / 68, 12) as number, offset: 0 });
    expect(fit('gain', at([5, 10]), STEP)).toMatchObject({ coefficients: { gain: 2 }, rSquared: null, leaveOneOut: null });
    expect(fitCalibration('gain', at([0, 3]), STEP)).toMatch(/wants a value far from it/);
  });
});
