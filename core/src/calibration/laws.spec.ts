import fc from 'fast-check';
import { platinumOhms } from '../sensors';
import { calibrated, conversionAt, fitPoint, piecesOf, rawOf, rawScaleSchema, withinTurn, type Capture, type Fitted, type Law } from '.';

const MILLIVOLTS = rawScaleSchema.parse({ unit: 'mV', min: 0, max: 3300, step: 1, direction: 'falls' });
const OHMS = rawScaleSchema.parse({ unit: 'Ω', min: 0, max: 400, step: 0.01, direction: 'rises' });
const AIR = { unit: '°C', min: 0, max: 60, decimals: 1, physicalMin: -40, physicalMax: 120 };
const DIVIDED = { supply: 3300, seriesOhms: 10_000 };
/** What a node sends for a resistance to ground behind a resistor from its supply: Ohm's law, written here anew. */
const millivolts = (ohms: number): number => (3300 / (10_000 + ohms)) * ohms;
const ntc = (celsius: number, atTwentyFive = 10_000, beta = 3950): number =>
  atTwentyFive * Math.exp(beta / (celsius + 273.15) - beta / 298.15);

function fit(law: Law, captures: readonly Capture[] = [], raw = MILLIVOLTS, reference = 0): Fitted | string {
  return fitPoint({ ...AIR, raw }, [], 0, { method: 'law', captures, law, reference });
}
function made(fitted: Fitted | string): Fitted {
  if (typeof fitted === 'string') throw new Error(fitted);
  return fitted;
}
const BETA: Law = { kind: 'beta', ...DIVIDED, atTwentyFive: 10_000, beta: 3950, tolerancePercent: 1 };

describe('a thermistor by its datasheet', () => {
  it('is followed within a hundredth of a kelvin over all that it measures, without a capture', () => {
    const { coefficients, uncertainty } = made(fit(BETA));
    for (let celsius = -39.5; celsius < 120; celsius += 7.25)
      expect(Math.abs(calibrated(coefficients, millivolts(ntc(celsius))) - celsius)).toBeLessThan(0.01);
    // 1 % of resistance is 1 % of T²/Beta: 0.225 K at 25 °C, spread evenly (GUM 4.3.7); a step of 1 mV is small beside it.
    expect(uncertainty).toBeCloseTo((0.01 * 298.15 ** 2) / 3950 / Math.sqrt(3), 2);
  });
  it('a capture trims its resistance, and takes its tolerance away', () => {
    const { coefficients, uncertainty, words } = made(fit(BETA, [{ raw: millivolts(ntc(18, 10_300)), reference: 18 }]));
    expect(words).toMatch(/^10300 Ω at 25 °C, Beta 3950 K$/);
    expect(calibrated(coefficients, millivolts(ntc(40, 10_300)))).toBeCloseTo(40, 1);
    expect(uncertainty).toBeLessThan(0.02);
  });
  it('refuses a raw value that cannot be behind that resistor, and figures with which nothing can be sent', () => {
    expect(fit({ ...BETA, supply: 1800 }, [{ raw: 2000, reference: 20 }])).toMatch(/2000 is not between nothing and its supply of 1800/);
    expect(fit({ ...BETA, supply: 1e6 })).toMatch(/nothing that its node can send lies within/);
  });
});

describe('a thermistor by three captures', () => {
  const THREE: Law = { kind: 'three', ...DIVIDED };
  const captured = (...celsius: number[]): Capture[] => celsius.map((at) => ({ raw: millivolts(ntc(at)), reference: at }));
  it('goes through all three and near the rest (Steinhart & Hart 1968)', () => {
    const { coefficients, residuals, words } = made(fit(THREE, captured(0.01, 22, 45)));
    for (const miss of residuals) expect(Math.abs(miss)).toBeLessThan(0.01);
    for (const celsius of [10, 30, 60]) expect(Math.abs(calibrated(coefficients, millivolts(ntc(celsius))) - celsius)).toBeLessThan(0.05);
    expect(words).toMatch(/Beta 3950 K/);
  });
  it('refuses fewer, more, two that were mixed up, and twice the same', () => {
    expect(fit(THREE, captured(0, 40))).toMatch(/three captures make it.*there are 2/);
    expect(fit(THREE, captured(0, 20, 40, 50))).toMatch(/there are 4/);
    const [cold, middle, warm] = captured(0, 20, 40) as [Capture, Capture, Capture];
    const mixed = [{ ...cold, reference: 20 }, { ...middle, reference: 0 }, warm];
    expect(fit(THREE, mixed)).toMatch(/mixed up/);
    expect(fit(THREE, [cold, cold, warm])).toMatch(/no curve of a thermistor/);
  });
  it('each of a hundred thermistors is followed back to its temperature', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 2000, max: 50_000 }),
        fc.integer({ min: 3000, max: 4500 }),
        fc.double({ min: 2, max: 44, noNaN: true }),
        (r, beta, at) => {
          const captures = [1, 22, 45].map((celsius) => ({ raw: millivolts(ntc(celsius, r, beta)), reference: celsius }));
          const { coefficients } = made(fit(THREE, captures));
          expect(Math.abs(calibrated(coefficients, millivolts(ntc(at, r, beta))) - at)).toBeLessThan(0.05);
        },
      ),
      { numRuns: 100 },
    );
  });
});

describe('a platinum resistor', () => {
  const PLATINUM: Law = { kind: 'platinum', atZero: 100 };
  it.each([
    // IEC 60751:2008, table 1: ohms of 100 Ω at 0 °C.
    [-40, 84.27],
    [0, 100],
    [25, 109.73],
    [100, 138.51],
    [120, 146.07],
  ])('%d °C are %d Ω', (celsius, ohms) => {
    expect(calibrated(made(fit(PLATINUM, [], OHMS)).coefficients, ohms)).toBeCloseTo(celsius, 1);
  });
  it('ice tells what its leads add; without it the tolerance of class B stands, ± 0.3 K at 0 °C', () => {
    const { coefficients, words } = made(fit(PLATINUM, [{ raw: 100.4, reference: 0 }], OHMS, 0.05));
    expect(calibrated(coefficients, 138.51 + 0.4)).toBeCloseTo(100, 1);
    expect(words).toBe('100 Ω at 0 °C, 0.4 Ω of leads');
    expect(made(fit(PLATINUM, [], OHMS)).uncertainty).toBeCloseTo(0.3 / Math.sqrt(3), 3);
    expect(made(fit(PLATINUM, [{ raw: 100.4, reference: 0 }], OHMS, 0.05)).uncertainty).toBeCloseTo(0.05, 2);
  });
  it('another resistance than was said is no matter of leads', () => {
    expect(fit(PLATINUM, [{ raw: 390, reference: 0 }], OHMS)).toMatch(/Is it of another resistance at 0 °C\?/);
    expect(fit(PLATINUM, [{ raw: 390, reference: 900 }], OHMS)).toMatch(/from −200 to 850 °C/);
    expect(platinumOhms(900)).toBeNull();
  });
});

describe('a sender', () => {
  const TANK = { unit: '%', min: 0, max: 100, decimals: 0, physicalMin: -10, physicalMax: 110 };
  const VOLTS = { ...MILLIVOLTS, direction: null };
  const law: Law = { kind: 'sender', supply: 3300, seriesOhms: 330 };
  const sends = (ohms: number): number => (3300 * ohms) / (330 + ohms);
  const fitTank = (captures: readonly Capture[]) => fitPoint({ ...TANK, raw: VOLTS }, [], 0, { method: 'law', captures, law });
  it('goes straight with its ohms, not with its volts; either way round', () => {
    // 240 Ω empty, 33 Ω full: common practice of fuel senders.
    const { coefficients } = made(
      fitTank([
        { raw: sends(240), reference: 0 },
        { raw: sends(33), reference: 100 },
      ]),
    );
    expect(calibrated(coefficients, sends((240 + 33) / 2))).toBeCloseTo(50, 1);
    const straight = ((sends(240) - sends(136.5)) / (sends(240) - sends(33))) * 100;
    expect(Math.abs(straight - 50)).toBeGreaterThan(5);
  });
  it('is followed as closely where its unit is large: metres of a tank', () => {
    const metres = { ...TANK, unit: 'm', max: 3, physicalMin: 0, physicalMax: 3 };
    const captures = [
      { raw: sends(240), reference: 0 },
      { raw: sends(33), reference: 3 },
    ];
    const { coefficients } = made(fitPoint({ ...metres, raw: VOLTS }, [], 0, { method: 'law', captures, law }));
    for (const level of [0.333, 1.5, 2.777])
      expect(Math.abs(calibrated(coefficients, sends(240 - (207 * level) / 3)) - level)).toBeLessThan(0.0005);
  });
  it('two captures at one value, and one alone, are refused', () => {
    expect(
      fitTank([
        { raw: 900, reference: 0 },
        { raw: 900, reference: 100 },
      ]),
    ).toMatch(/at one value/);
    expect(fitTank([{ raw: 900, reference: 0 }])).toMatch(/there are 1/);
  });
});

describe('a law', () => {
  it('is not followed by what is sent in its own unit, nor without being said', () => {
    expect(fitPoint({ ...AIR, raw: null }, [], 0, { method: 'law', captures: [], law: BETA })).toMatch(/sends °C already/);
    expect(fitPoint({ ...AIR, raw: MILLIVOLTS }, [], 0, { method: 'law', captures: [] })).toMatch(/say which law/);
  });
});

describe('a direction', () => {
  const VANE = { unit: '°', min: 0, max: 360, decimals: 0, raw: null };
  const turned = (captures: readonly Capture[], kept: Parameters<typeof fitPoint>[1] = []) =>
    fitPoint(VANE, kept, 1, { method: 'offset', captures });
  it('is turned by what it misses, and begins anew past north', () => {
    const { coefficients } = made(turned([{ raw: 350, reference: 20 }]));
    expect([350, 0, 330, 329].map((raw) => calibrated(coefficients, raw))).toEqual([20, 30, 0, 359]);
  });
  it('misses on both sides of north are a mean on the circle: 359° and 1° turn it by nothing', () => {
    const { coefficients, residuals } = made(
      turned([
        { raw: 10, reference: 9 },
        { raw: 0, reference: 1 },
      ]),
    );
    expect(withinTurn(calibrated(coefficients, 90) + 1, 360)).toBeCloseTo(91, 9);
    expect(residuals.map((miss) => Math.round(miss * 1e6) / 1e6)).toEqual([-1, 1]);
    const across = made(
      turned([
        { raw: 0, reference: 350 },
        { raw: 180, reference: 190 },
      ]),
    );
    expect(withinTurn(calibrated(across.coefficients, 0) + 5, 360)).toBeCloseTo(5, 9);
  });
  it('captures that turn it to opposite sides are refused', () => {
    expect(
      turned([
        { raw: 0, reference: 90 },
        { raw: 0, reference: 270 },
      ]),
    ).toMatch(/mixed up/);
  });
  it('turned again it is turned from where it was; there and back it is the same', () => {
    const first = made(turned([{ raw: 0, reference: 200 }])).coefficients;
    const kept = [{ ...first, version: 1, from: 0 }];
    const second = made(turned([{ raw: 0, reference: 10 }], kept)).coefficients;
    expect([calibrated(second, 0), calibrated(second, 355)]).toEqual([10, 5]);
    fc.assert(
      fc.property(fc.double({ min: 0, max: 359.99, noNaN: true }), (value) => {
        expect(calibrated(first, rawOf(first, value))).toBeCloseTo(value, 6);
        const [piece] = piecesOf(first);
        expect(withinTurn((piece?.gain ?? 0) * rawOf(first, value) + (piece?.offset ?? 0), piece?.turn ?? 0)).toBeCloseTo(value, 6);
      }),
    );
    expect(conversionAt(null, kept, 5)).toBe(kept[0]);
  });
  it('an angle that is none of all directions is not turned', () => {
    const tilt = fitPoint({ ...VANE, min: -90, max: 90 }, [], 1, { method: 'offset', captures: [{ raw: -80, reference: -95 }] });
    expect(calibrated(made(tilt).coefficients, -80)).toBe(-95);
  });
});
