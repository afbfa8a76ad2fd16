import psychrolib from 'psychrolib';
import {
  dewPointCelsius,
  frostPointCelsius,
  hylandWexlerPascals,
  saturationOverWaterHectopascals,
  vapourPressureDeficitKilopascals,
} from '.';

psychrolib.SetUnitSystem(psychrolib.SI);

// Reference library: psychrolib 1.1.1 (ASHRAE Fundamentals 2017 ch. 1), a port of the same equations for Hyland–Wexler and
// independent of the Magnus formula of WMO-No. 8.
describe('against psychrolib', () => {
  it('Hyland–Wexler saturation pressure is the same within 0.03 %', () => {
    for (let t = -60; t <= 120; t += 3) {
      const reference = psychrolib.GetSatVapPres(t);
      expect(Math.abs(hylandWexlerPascals(t)! / reference - 1)).toBeLessThan(3e-4);
    }
  });
  it('the dew point differs by less than 0.05 K from 0 to 50 °C', () => {
    for (let t = 1; t <= 50; t += 1) {
      for (let rh = 20; rh <= 100; rh += 5) {
        const reference = psychrolib.GetTDewPointFromRelHum(t, rh / 100);
        if (reference < 0.5) continue; // the library goes over to ice there; sensors report over water
        expect(Math.abs(dewPointCelsius(t, rh)! - reference)).toBeLessThan(0.05);
      }
    }
  });
});

describe('ranges', () => {
  it('gives null, never a plausible number, outside them', () => {
    for (const [t, rh] of [
      [NaN, 50],
      [20, NaN],
      [20, 0],
      [20, 101],
      [-46, 50],
      [61, 50],
      [Infinity, 50],
    ] as const)
      expect(dewPointCelsius(t, rh)).toBeNull();
    expect(saturationOverWaterHectopascals(60.1)).toBeNull();
    expect(vapourPressureDeficitKilopascals(20, -1)).toBeNull();
    expect(frostPointCelsius(20, 90)).toBeNull();
  });
  it('at 100 % the dew point is the temperature: forward and inverse are one set', () => {
    for (let t = -40; t <= 60; t += 5) expect(dewPointCelsius(t, 100)).toBeCloseTo(t, 9);
  });
});
