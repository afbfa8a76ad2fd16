import fc from 'fast-check';
import { calibrated } from './conversion';
import { fitCalibration } from './fit';
import { sideBySide, type Beside } from './side-by-side';

const WIDTH = 300_000;
/** A steady pseudo-random figure around 0, of about 1. */
const noise = (seed: number, i: number): number => (Math.sin(seed * 127.1 + i * 311.7) * 43_758.5453) % 1;
const air = (i: number, swing: number): number => 20 + swing * Math.sin(i / 20);
const beside = (id: number, { gain = 1, offset = 0, swing = 0.12, n = 60, loud = 0.2, from = 0 } = {}): Beside => ({
  id,
  readings: Array.from({ length: n }, (_, i) => {
    const raw = (air(i + from, swing) - offset) / gain + loud * noise(id, i);
    return { at: (i + from) * 60_000, raw, value: raw };
  }),
});

describe('points side by side', () => {
  it('the one that is off is found against their median, with by how much; the others agree', () => {
    const told = sideBySide([beside(1), beside(2), beside(3), beside(4, { offset: 0.8 }), beside(5)], {
      reference: 'median',
      width: WIDTH,
    });
    if (typeof told === 'string') throw new Error(told);
    expect(told.stretches).toBe(12);
    const by = new Map(told.points.map((one) => [one.id, one]));
    expect(by.get(4)).toMatchObject({ verdict: 'odd', method: 'offset' });
    expect(Math.abs(by.get(4)!.bias + 0.8)).toBeLessThan(0.1);
    for (const id of [1, 2, 3, 5])
      expect([id, by.get(id)!.verdict === 'odd', Math.abs(by.get(id)!.bias) < 0.06]).toEqual([id, false, true]);
  });

  it('against a trusted one, what it captures puts the other right', () => {
    const told = sideBySide([beside(1), beside(2, { offset: -1.2 })], { reference: 1, width: WIDTH });
    if (typeof told === 'string') throw new Error(told);
    const [one] = told.points;
    expect(one).toMatchObject({ id: 2, verdict: 'off', method: 'offset' });
    const fitted = fitCalibration('offset', one!.captures, { step: 0.1 });
    if (typeof fitted === 'string') throw new Error(fitted);
    expect(fitted.coefficients.offset).toBeCloseTo(-1.2, 1);
  });

  it('a slope is found only where the range is ten times the noise', () => {
    const wide = sideBySide([beside(1, { swing: 8 }), beside(2, { swing: 8, gain: 1.1, offset: 2 })], { reference: 1, width: WIDTH });
    if (typeof wide === 'string') throw new Error(wide);
    expect(wide.points[0]).toMatchObject({ method: 'linear', captures: { length: 6 } });
    const fitted = fitCalibration('linear', wide.points[0]!.captures, { step: 0.1 });
    if (typeof fitted === 'string') throw new Error(fitted);
    expect(fitted.coefficients.gain).toBeCloseTo(1.1, 1);
    const quiet = sideBySide([beside(1, { swing: 0.1 }), beside(2, { swing: 0.1, gain: 1.1, offset: 2 })], { reference: 1, width: WIDTH });
    if (typeof quiet === 'string') throw new Error(quiet);
    expect(quiet.points[0]!.method).toBe('offset');
  });

  it('what resembles itself counts for fewer, so that a drift is not taken for certainty', () => {
    const drifting = (id: number): Beside => ({
      id,
      readings: beside(id).readings.map((one, i) => ({ ...one, value: one.value + (i - 30) / 60 })),
    });
    const told = (points: Beside[]): number => {
      const all = sideBySide(points, { reference: 1, width: WIDTH });
      if (typeof all === 'string') throw new Error(all);
      return all.points[0]!.halfWidth / (all.points[0]!.noise / Math.sqrt(all.points[0]!.n));
    };
    expect(told([beside(1), drifting(2)])).toBeGreaterThan(2 * told([beside(1), beside(2)]));
  });

  it('says why nothing can be said: one alone, no common time, a trusted one that is not there', () => {
    expect(sideBySide([beside(1)], { reference: 'median', width: WIDTH })).toMatch(/two points/);
    expect(sideBySide([beside(1), beside(2, { from: 5000 })], { reference: 1, width: WIDTH })).toMatch(/fewer than 6 stretches/);
    expect(sideBySide([beside(1), beside(2)], { reference: 9, width: WIDTH })).toMatch(/none of those/);
    const some = sideBySide([beside(1), beside(2), beside(3, { n: 4 })], { reference: 1, width: WIDTH });
    if (typeof some === 'string') throw new Error(some);
    expect(some.points[1]).toMatchObject({ id: 3, n: 1, captures: [], verdict: 'agrees' });
  });

  it('any offset comes back, whatever it is', () => {
    fc.assert(
      fc.property(fc.double({ min: -20, max: 20, noNaN: true }), fc.constantFrom(0.2, 3), (offset, swing) => {
        const told = sideBySide([beside(1, { swing, loud: 0.01 }), beside(2, { swing, offset, loud: 0.01 })], {
          reference: 1,
          width: WIDTH,
        });
        if (typeof told === 'string') throw new Error(told);
        const { method, captures } = told.points[0]!;
        const fitted = fitCalibration(method, captures, { step: 0.01 });
        if (typeof fitted === 'string') throw new Error(fitted);
        expect(Math.abs(calibrated(fitted.coefficients, 20 - offset) - 20)).toBeLessThan(0.05);
      }),
    );
  });
});
