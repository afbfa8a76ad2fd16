import { fitCalibration, pouredMillimetres, RECIPES, recipesFor, saltHumidity } from '.';
import { qnhHectopascals } from '../pressure';

const recipe = (id: string) => RECIPES.find((one) => one.id === id)!;

describe('references', () => {
  it('humidity over saturated salts: Greenspan 1977, table 2, and between its rows', () => {
    expect(saltHumidity('lithium chloride', 20)).toBe(11.31);
    expect(saltHumidity('sodium chloride', 25)).toBe(75.29);
    expect(saltHumidity('magnesium chloride', 22.5)).toBeCloseTo((33.07 + 32.78) / 2, 9);
    expect(saltHumidity('potassium chloride', 40)).toBe(82.32);
    expect([saltHumidity('lithium chloride', 3), saltHumidity('sodium chloride', 41), saltHumidity('sodium chloride', -1)]).toEqual([
      null,
      null,
      null,
    ]);
  });
  it('a litre on a square metre is a millimetre of rain: the funnel of 200 cm² takes 20 ml (WMO-No. 8, ch. 6)', () => {
    expect(pouredMillimetres(20, 2 * Math.sqrt(20_000 / Math.PI))).toBeCloseTo(1, 12);
  });
  it('the pressure up here is what QNH says down there: there and back', () => {
    const [step] = recipe('pressure').steps;
    const here = step!.reference({ qnh: 1020, metres: 430 })!;
    expect(here).toBeLessThan(1020 - 430 / 9);
    expect(qnhHectopascals(here, 430)).toBeCloseTo(1020, 9);
    expect(step!.reference({ qnh: 1020 })).toBeNull();
  });
  it('a soil sample of 100 cm³ that loses 31 g held 31 % by volume; one that gains is refused', () => {
    const [, wet] = recipe('soil').steps;
    expect(wet!.reference({ wet: 171, dry: 140, volume: 100 })).toBe(31);
    expect(wet!.reference({ wet: 140, dry: 171, volume: 100 })).toBeNull();
  });
  it('a spoonful that loses 20 % of its dry weight, of a soil of 1.3 kg a litre, held 26 % by volume', () => {
    const [, wet] = recipe('soil-by-weight').steps;
    expect(wet!.reference({ wet: 60, dry: 50, density: 1.3 })).toBeCloseTo(26, 9);
    expect(wet!.reference({ wet: 50, dry: 60, density: 1.3 })).toBeNull();
  });
  it('ten litres in 48 s are 12.5 l/min', () => {
    expect(recipe('bucket').steps[0]!.reference({ litres: 10, seconds: 48 })).toBe(12.5);
    expect(recipe('bucket').steps[0]!.reference({ litres: 10, seconds: 0 })).toBeNull();
  });
});

describe('ways to calibrate', () => {
  it.each([
    [{ unit: '%', name: 'soil-moisture' }, ['soil', 'soil-by-weight']],
    [{ unit: '%', name: 'humidity' }, ['salts']],
    [{ unit: '°C', name: 'temperature' }, ['ice']],
    [{ unit: 'kg', name: 'mass' }, ['scale', 'tare']],
    [{ unit: 'V', name: 'battery' }, ['divider']],
    [{ unit: 'ppm', name: 'co2' }, ['fresh-air']],
    [{ unit: 'mm', name: 'rain' }, ['poured']],
    [{ unit: 'mm', name: 'level' }, ['depth']],
    [{ unit: 'lx', name: 'light' }, []],
    [{ unit: '°', name: 'wind-direction' }, ['north']],
    [{ unit: '°C', name: 'temperature', rawUnit: 'mV' }, ['ice', 'three-baths', 'beta']],
    [{ unit: '°C', name: 'temperature', rawUnit: 'Ω' }, ['ice', 'platinum']],
    [{ unit: '%', name: 'level', rawUnit: 'mV' }, ['depth', 'sender']],
  ])('fit what is measured: %j', (point, ids) => expect(recipesFor({ rawUnit: null, ...point }).map(({ id }) => id)).toEqual(ids));
  it('each can be fitted by its method from as many captures as it has steps', () => {
    for (const { id, method, steps, law } of RECIPES) {
      // What follows a law is fitted by what is asked for it as well: laws.spec.ts.
      if (law) continue;
      const captures = steps.map((_, i) => ({ raw: 10 + 20 * i, reference: 5 + 30 * i }));
      expect([id, typeof fitCalibration(method, captures, { step: 0.1 })]).toEqual([id, 'object']);
    }
  });
  it('a divider that misses by a diode’s drop at every voltage is told as a missing ground, a wrong factor is not', () => {
    const { remark, method } = recipe('divider');
    const told = (...captures: { raw: number; reference: number }[]) => {
      const fitted = fitCalibration(method, captures, { step: 0.01 });
      return typeof fitted === 'string' ? fitted : remark!(captures, fitted);
    };
    expect(told({ raw: 11.4, reference: 12.02 }, { raw: 13.8, reference: 14.4 })).toMatch(
      /misses by 0.62 V at every voltage: that is a missing common ground/,
    );
    expect(told({ raw: 11.4, reference: 12 }, { raw: 5.7, reference: 6 })).toBeNull();
    expect(told({ raw: 11.4, reference: 12 })).toBeNull();
  });
  it('stand with their caution where somebody can get hurt', () => {
    for (const id of ['salts', 'scale', 'divider', 'current-zero', 'wind', 'depth', 'fresh-air'])
      expect(recipe(id).caution).toMatch(/\w{4}/);
  });
});
