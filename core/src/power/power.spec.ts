import fc from 'fast-check';
import { extraterrestrialMegajoules, hourlyShares, periodOfResistor, simulateSolarYear, smallestPanelWatts, timerResistorOhms } from '.';
import { nearestPreferred } from '../circuit';

const site = { latitude: 52, sunshine: [0.22, 0.28, 0.33, 0.38, 0.4, 0.4, 0.41, 0.42, 0.38, 0.32, 0.25, 0.2] };
const plan = { efficiency: 0.6, batteryWattHours: 9.6, loadMilliwatts: 60 };

describe('a year of sun', () => {
  it('a larger panel never ends lower, and the smallest that never runs flat is just enough', () => {
    const lowest = [1, 2, 4, 8, 16].map((panelWatts) => simulateSolarYear(site, { ...plan, panelWatts }).lowest);
    expect([...lowest].sort((a, b) => a - b)).toEqual(lowest);
    const watts = smallestPanelWatts(site, plan, 0.2)!;
    expect(simulateSolarYear(site, { ...plan, panelWatts: watts }).lowest).toBeGreaterThanOrEqual(0.2);
    expect(simulateSolarYear(site, { ...plan, panelWatts: watts - 0.2 }).lowest).toBeLessThan(0.2);
    const { lowestDay } = simulateSolarYear(site, { ...plan, panelWatts: watts });
    expect(lowestDay < 60 || lowestDay > 330).toBe(true);
  });
  it('without sun the battery is flat for all hours but the first; without load it stays full', () => {
    const dark = simulateSolarYear(site, { ...plan, panelWatts: 0 });
    expect([dark.lowest, dark.hoursFlat]).toEqual([0, 8760]);
    expect(simulateSolarYear(site, { ...plan, loadMilliwatts: 0, panelWatts: 1 }).lowest).toBe(1);
  });
  it('the hours of a day add up to its radiation, at any latitude, polar night apart', () => {
    fc.assert(
      fc.property(fc.integer({ min: -85, max: 85 }), fc.integer({ min: 1, max: 365 }), (latitude, day) => {
        const sum = hourlyShares(latitude, day).reduce((a, b) => a + b, 0);
        const radiation = extraterrestrialMegajoules(latitude, day);
        expect(radiation).toBeGreaterThanOrEqual(-1e-9);
        if (radiation > 0.5) expect(sum).toBeCloseTo(1, 9);
      }),
    );
  });
});

describe('a nanopower timer', () => {
  it('a resistor gives back the period it was computed for, within each range and a quarter of a percent', () => {
    for (const seconds of [2, 7, 20, 60, 300, 600, 1200, 3600, 7200])
      expect(Math.abs(periodOfResistor(timerResistorOhms(seconds)!)! / seconds - 1)).toBeLessThan(0.0025);
    expect([timerResistorOhms(0.5), timerResistorOhms(7201)]).toEqual([null, null]);
  });
  it('the nearest preferred value misses the hour by a minute', () => {
    // TI TPL5110 datasheet: 124.91 kΩ for 3600 s; E96 has 124 kΩ, which gives 59.0 min.
    expect(nearestPreferred(timerResistorOhms(3600)!, 96)).toBe(124_000);
    expect(periodOfResistor(124_000)! / 60).toBeCloseTo(59, 1);
  });
});
