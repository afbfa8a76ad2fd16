import psychrolib from 'psychrolib';
import {
  condensationMarginKelvin,
  heatIndexCelsius,
  heatIndexFahrenheit,
  industrialSaturationMegapascals,
  saturationOverWaterHectopascals,
  surfaceHumidityPercent,
  temperatureFactor,
  warmestSurfaceNeededCelsius,
  wetBulbCelsius,
  wetBulbStullCelsius,
} from '.';

psychrolib.SetUnitSystem(psychrolib.SI);

describe('the wet bulb', () => {
  // Reference library: psychrolib 1.1.1; Stull himself states −1 … +0.65 K within his range.
  it('of the psychrometer lies within 0.5 K of the library’s thermodynamic one, of Stull’s formula within 1.1 K', () => {
    for (let t = 5; t <= 45; t += 5)
      for (let rh = 20; rh <= 95; rh += 15) {
        const reference = psychrolib.GetTWetBulbFromRelHum(t, rh / 100, 101_325);
        expect(Math.abs(wetBulbCelsius(t, rh, 1013.25)! - reference)).toBeLessThan(0.5);
        expect(Math.abs(wetBulbStullCelsius(t, rh)! - reference)).toBeLessThan(1.1);
      }
  });
  it('is the temperature in saturated air, and nothing outside what the formulas hold for', () => {
    expect(wetBulbCelsius(15, 100, 1000)).toBeCloseTo(15, 3);
    for (const [t, rh, p] of [
      [20, 0, 1013],
      [20, 101, 1013],
      [70, 50, 1013],
      [20, 50, 100],
      [NaN, 50, 1013],
    ] as const)
      expect(wetBulbCelsius(t, rh, p)).toBeNull();
    expect([wetBulbStullCelsius(-21, 50), wetBulbStullCelsius(20, 4), wetBulbStullCelsius(20, 99.5)]).toEqual([null, null, null]);
  });
});

describe('what warm air feels like', () => {
  // Source: NWS chart, whole °F; cells above 85 % and below 88 °F hold the bare regression and are left out.
  it('is near the air’s own temperature while it is mild, and never a figure for impossible air', () => {
    expect(heatIndexFahrenheit(70, 50)).toBeCloseTo(69.05, 2);
    expect(heatIndexCelsius(20, 50)).toBeCloseTo(19.4, 0);
    for (const [t, rh] of [
      [NaN, 50],
      [90, 101],
      [90, -1],
    ] as const)
      expect(heatIndexFahrenheit(t, rh)).toBeNull();
  });
  it('dry heat feels milder and very moist heat hotter than the regression alone', () => {
    const regression = (t: number, r: number): number =>
      -42.379 +
      2.04901523 * t +
      10.14333127 * r -
      0.22475541 * t * r -
      0.00683783 * t * t -
      0.05481717 * r * r +
      0.00122874 * t * t * r +
      0.00085282 * t * r * r -
      0.00000199 * t * t * r * r;
    expect(heatIndexFahrenheit(100, 8)!).toBeLessThan(regression(100, 8));
    expect(heatIndexFahrenheit(84, 95)!).toBeGreaterThan(regression(84, 95));
  });
});

describe('a wall in moist air', () => {
  it('is wet from the dew point down; humidity at it and the temperature it needs are two sides of one thing', () => {
    expect(condensationMarginKelvin(20, 50, 9)!).toBeLessThan(0);
    expect(surfaceHumidityPercent(20, 50, 9)!).toBeGreaterThan(100);
    for (const rh of [40, 55, 70]) {
      const needed = warmestSurfaceNeededCelsius(20, rh, 80)!;
      expect(surfaceHumidityPercent(20, rh, needed)).toBeCloseTo(80, 6);
    }
    expect([warmestSurfaceNeededCelsius(20, 0, 80), condensationMarginKelvin(20, 0, 15), temperatureFactor(15, 20, 20)]).toEqual([
      null,
      null,
      null,
    ]);
  });
});

it('the Magnus form keeps within 0.4 % of the industrial standard from 1 to 60 °C (IAPWS-IF97)', () => {
  for (let t = 1; t <= 60; t += 1)
    expect(Math.abs(saturationOverWaterHectopascals(t)! / (industrialSaturationMegapascals(t + 273.15)! * 1e4) - 1)).toBeLessThan(0.004);
  expect([industrialSaturationMegapascals(273), industrialSaturationMegapascals(648), industrialSaturationMegapascals(NaN)]).toEqual([
    null,
    null,
    null,
  ]);
});
