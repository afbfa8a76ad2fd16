import psychrolib from 'psychrolib';
import {
  geopotentialMetres,
  pressureAltitudeMetres,
  qffHectopascals,
  qnhHectopascals,
  standardDensity,
  standardPressureHectopascals,
  textbookSeaLevelPascals,
} from '.';

psychrolib.SetUnitSystem(psychrolib.SI);

describe('the standard atmosphere', () => {
  // Reference library: psychrolib 1.1.1, GetStandardAtmPressure (ASHRAE Fundamentals ch. 1 eq. 3).
  it('is the library’s within 0.2 Pa up to 5 000 m, and comes back from its pressure', () => {
    for (let h = 0; h <= 5000; h += 250) {
      expect(Math.abs(standardPressureHectopascals(h)! * 100 - psychrolib.GetStandardAtmPressure(h))).toBeLessThan(0.2);
      expect(pressureAltitudeMetres(standardPressureHectopascals(h)!)).toBeCloseTo(h, 3);
    }
  });
  it('ends at 11 km and far below the sea', () => {
    expect([standardPressureHectopascals(11_001), standardPressureHectopascals(-501), standardDensity(NaN)]).toEqual([null, null, null]);
    expect([pressureAltitudeMetres(0), pressureAltitudeMetres(-5), pressureAltitudeMetres(150)]).toEqual([null, null, null]);
    // A third of a metre at 1 500 m: seen in the second decimal of the tables.
    expect(1500 - geopotentialMetres(1500)).toBeCloseTo(0.35, 2);
  });
});

describe('pressure at sea level', () => {
  it('is the station’s own at sea level, by each way; warm air makes less of a height than cold', () => {
    expect(qnhHectopascals(1003.2, 0)).toBeCloseTo(1003.2, 9);
    expect(qffHectopascals(1003.2, 0, 12, 9)).toBeCloseTo(1003.2, 9);
    expect(qffHectopascals(950, 500, 25, 15)!).toBeLessThan(qffHectopascals(950, 500, -5, 3)!);
    expect([
      qnhHectopascals(200, 0),
      qnhHectopascals(NaN, 0),
      qffHectopascals(950, 500, NaN, 1),
      qffHectopascals(950, 500, 10, -1),
    ]).toEqual([null, null, null, null]);
  });
  it('textbooks’ form is the library’s within 0.01 Pa', () => {
    for (const [p, h, t] of [
      [101_226.5, 105, 17.19],
      [90_000, 1000, -5],
      [95_000, 480, 28],
    ] as const)
      expect(Math.abs(textbookSeaLevelPascals(p, h, t) - psychrolib.GetSeaLevelPressure(p, h, t))).toBeLessThan(0.01);
  });
});
