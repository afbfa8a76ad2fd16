import fc from 'fast-check';
import {
  beamShares,
  cloudyYear,
  extraterrestrialMegajoules,
  hourlyShares,
  PANEL_WATTS,
  panelThatHolds,
  periodOfResistor,
  solarYear,
  solarYears,
  sunTable,
  timerResistorOhms,
} from '.';
import { nearestPreferred } from '../circuit';

const site = {
  latitude: 52,
  sunshine: [0.22, 0.28, 0.33, 0.38, 0.4, 0.4, 0.41, 0.42, 0.38, 0.32, 0.25, 0.2],
  frost: [],
  tiltDegrees: 0,
  facingDegrees: 180,
};
const plan = { efficiency: 0.6, batteryWattHours: 9.6, loadMilliwatts: 60 };
const steady = site.sunshine.flatMap((share, month) => Array<number>([31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31][month]!).fill(share));
const never = (): boolean => false;

describe('years of sun', () => {
  const flat = sunTable(site);
  it('a larger panel never ends lower, and the size it names holds where the next smaller does not', () => {
    const lowest = [1, 2, 4, 8, 16].map((panelWatts) => solarYear(flat, { ...plan, panelWatts }, steady, never).lowest);
    expect([...lowest].sort((a, b) => a - b)).toEqual(lowest);
    const found = panelThatHolds(flat, plan)!;
    expect(PANEL_WATTS).toContain(found.watts);
    expect(found.holds).toBeGreaterThanOrEqual(0.95);
    expect(solarYears(flat, { ...plan, panelWatts: found.watts }).holds).toBe(found.holds);
    const smaller = PANEL_WATTS[PANEL_WATTS.indexOf(found.watts as (typeof PANEL_WATTS)[number]) - 1]!;
    expect(solarYears(flat, { ...plan, panelWatts: smaller }).holds).toBeLessThan(0.95);
    const { lowestDay } = solarYear(flat, { ...plan, panelWatts: found.watts }, steady, never);
    expect(lowestDay < 60 || lowestDay > 330).toBe(true);
  });
  it('cloudy spells ask for more than a steady sky of the same mean, by a fifth and more', () => {
    const holds = (watts: number, sky: (seed: number) => number[]): boolean =>
      Array.from({ length: 20 }, (_, i) => solarYear(flat, { ...plan, panelWatts: watts }, sky(i + 1), never).lowest).every(
        (lowest) => lowest > 0.05,
      );
    const smallest = (sky: (seed: number) => number[]): number =>
      Array.from({ length: 200 }, (_, i) => 1 + i * 0.1).find((watts) => holds(watts, sky))!;
    const even = smallest(() => steady);
    const cloudy = smallest((seed) => cloudyYear(site.sunshine, seed));
    expect(cloudy / even).toBeGreaterThan(1.2);
    expect(cloudy / even).toBeLessThan(2);
  });
  it('a year of clouds keeps its means, comes in spells, and is the same for the same seed', () => {
    const years = Array.from({ length: 200 }, (_, seed) => cloudyYear(site.sunshine, seed));
    const january = years.flatMap((year) => year.slice(0, 31));
    const july = years.flatMap((year) => year.slice(181, 212));
    const mean = (values: readonly number[]): number => values.reduce((sum, value) => sum + value, 0) / values.length;
    expect(mean(january)).toBeCloseTo(0.22, 1);
    expect(mean(july)).toBeCloseTo(0.41, 1);
    const dull = years.flatMap((year) => year.slice(151, 243).map((share) => share < 0.1));
    const starts = dull.filter((one, i) => one && !dull[i - 1]).length;
    expect(dull.filter(Boolean).length / starts).toBeGreaterThan(3);
    expect(cloudyYear(site.sunshine, 5)).toEqual(cloudyYear(site.sunshine, 5));
    expect(cloudyYear(site.sunshine, 5)).not.toEqual(cloudyYear(site.sunshine, 6));
  });
  it('without sun the battery is flat for all hours but the first; without load it stays full', () => {
    const dark = solarYear(flat, { ...plan, panelWatts: 0 }, steady, never);
    expect([dark.lowest, dark.hoursFlat]).toEqual([0, 8760 - 160]);
    expect(solarYear(flat, { ...plan, loadMilliwatts: 0, panelWatts: 1 }, steady, never).lowest).toBe(1);
    const frozen = solarYear(flat, { ...plan, panelWatts: 50 }, steady, (day) => day < 30);
    expect(frozen.hoursFlat).toBeGreaterThan(400);
  });
  it('a panel tilted to the equator gathers more in winter than a flat one, one that looks away hardly any beam', () => {
    const december = 355;
    const sum = (tilt: number, facing: number, latitude = 52): number =>
      beamShares(latitude, december, tilt, facing).reduce((a, b) => a + b, 0);
    expect(sum(0, 180)).toBeCloseTo(1, 9);
    expect(sum(60, 180)).toBeGreaterThan(3);
    expect(sum(60, 0)).toBe(0);
    expect(sum(45, 90)).toBeCloseTo(sum(45, 270), 9);
    // Six months on, at the other half of the earth, it is the same winter.
    expect(beamShares(-52, 172, 60, 0).reduce((a, b) => a + b, 0)).toBeCloseTo(sum(60, 180), 1);
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
