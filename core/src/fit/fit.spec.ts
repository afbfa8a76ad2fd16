import {
  firstProgress,
  fitNeeds,
  fitOutcome,
  followsFrom,
  handTolerance,
  judgeByHand,
  judgeFirst,
  judgeFirstSupply,
  judgeFirstReadings,
  judgeLevel,
  judgeSignal,
  judgeSupply,
} from '.';

const air = { name: 'temperature', label: 'Temperature', unit: '°C', min: 0, max: 40, decimals: 1, physicalMin: -40, physicalMax: 125 };
const humidity = { name: 'humidity', label: 'Humidity', unit: '%', min: 0, max: 100, decimals: 0, physicalMin: 0, physicalMax: 100 };
const hatch = { name: 'hatch', label: 'Hatch', unit: '', min: 0, max: 1, decimals: 0, physicalMin: 0, physicalMax: 1 };
const rain = { name: 'rain', label: 'Rain', unit: 'mm', min: 0, max: 20, decimals: 1, physicalMin: 0, physicalMax: 1000 };

describe('first readings', () => {
  it.each([
    ['a good sensor', air, [20.1, 20.2, 20.1], 'pass', null],
    ['too few', air, [20.1, 20.2], 'more', null],
    ['a thermometer that is not there', air, [-127, -127, -127], 'fail', 'out-of-range'],
    ['one that has not measured', air, [85, 85, 85], 'fail', 'full-scale'],
    ['85 °C that moves', { ...air, max: 120 }, [84.9, 85, 85.2], 'pass', null],
    ['a humidity of nought', humidity, [0, 0, 0], 'fail', 'stuck-at-zero'],
    ['a humidity at its end', humidity, [100, 100, 100], 'fail', 'full-scale'],
    ['one wild reading among good ones', humidity, [320, 55, 54, 55], 'pass', null],
    ['one wild reading, too few good ones yet', humidity, [320, 55, 54], 'more', null],
    ['wild ones that go on', humidity, [320, 55, 300, 290, 54], 'fail', 'out-of-range'],
    ['no rain', rain, [0, 0, 0], 'pass', null],
    ['a contact', hatch, [1, 1, 1], 'pass', null],
    ['degrees Fahrenheit', air, [68, 68.2, 68.1], 'note', 'unit'],
    ['a count of people that moves by one', { ...hatch, name: 'targets', max: 3, physicalMax: 3 }, [0, 1, 0], 'pass', null],
    ['a count that jumps', { ...hatch, name: 'targets', max: 3, physicalMax: 3 }, [0, 3, 0], 'fail', 'too-noisy'],
    ['a loose wire', air, [20, 35, 19], 'fail', 'too-noisy'],
  ] as const)('%s', (_, point, values, verdict, code) => {
    expect(judgeFirst(point, values, 1)).toMatchObject({ verdict, code });
  });
  it('its supply is judged by what it says with its radio on, where both figures are known', () => {
    expect(judgeFirstSupply(2.71, 2.7)).toMatchObject({ verdict: 'pass', code: null });
    expect(judgeFirstSupply(2.69, 2.7)).toMatchObject({
      verdict: 'fail',
      code: 'supply-low',
      text: '2.69 V with its radio on, 2.70 V is the least',
    });
    expect([judgeFirstSupply(null, 2.7), judgeFirstSupply(3, null)]).toEqual([null, null]);
  });
  it('are as far as the point of which the fewest came; one that reports rarely needs one', () => {
    const values = new Map([
      ['temperature', [20, 20.1, 20.2, 20.1]],
      ['humidity', [55]],
    ]);
    expect(firstProgress([air, humidity], values, 10)).toEqual({ have: 1, of: 3 });
    expect(firstProgress([air], values, 10)).toEqual({ have: 3, of: 3 });
    expect(firstProgress([air, rain], values, 10)).toEqual({ have: 0, of: 3 });
    expect(firstProgress([air, humidity], values, 3600)).toEqual({ have: 1, of: 1 });
  });
  it('a node that sleeps is judged by its first; one bad point stops it, a note does not', () => {
    expect(judgeFirst(air, [20], 3600).verdict).toBe('pass');
    const values = new Map([
      ['temperature', [20, 20.1, 20.2]],
      ['humidity', [0, 0, 0]],
    ]);
    expect(judgeFirstReadings([air, humidity], values, 1).verdict).toBe('fail');
    expect(judgeFirstReadings([air], new Map([['temperature', [68, 68, 68.1]]]), 1).verdict).toBe('pass');
    expect(judgeFirstReadings([air, humidity], new Map([['temperature', [20, 20, 20]]]), 1).verdict).toBe('more');
  });
});

describe('fitting in place', () => {
  it('needs signal, supply, every sensor and every output', () => {
    const points = [air, hatch].map((point) => ({ ...point, kind: 'measured' as const }));
    const needs = fitNeeds([...points, { ...air, name: 'dew-point', kind: 'derived' }, { ...hatch, name: 'fan', kind: 'switched' }]);
    expect(needs.map((need) => need.id)).toEqual(['signal', 'supply', 'reading:temperature', 'contact:hatch', 'output:fan']);
  });
  it('a signal passes by its middle and its weakest tenth, over long enough', () => {
    const minute = (dbm: (i: number) => number) => Array.from({ length: 60 }, (_, i) => ({ at: i * 1000, dbm: dbm(i) }));
    expect(
      judgeSignal(
        minute(() => -60),
        60,
      ),
    ).toMatchObject({ passed: true });
    expect(judgeSignal(minute(() => -60).slice(0, 30), 60)).toMatchObject({
      passed: false,
      text: expect.stringMatching(/30 levels over 29 s/),
    });
    expect(
      judgeSignal(
        minute(() => -76),
        60,
      ).text,
    ).toMatch(/Too weak/);
    expect(
      judgeSignal(
        minute((i) => (i % 5 === 0 ? -85 : -60)),
        60,
      ).text,
    ).toMatch(/It fades/);
    expect(
      judgeSignal(
        minute((i) => (i % 20 === 0 ? -85 : -60)),
        60,
      ).passed,
    ).toBe(true);
    expect(judgeSignal([], 60).passed).toBe(false);
    expect([judgeLevel(-75).passed, judgeLevel(-76).passed]).toEqual([true, false]);
  });
  it('supply, and a hand instrument beside the sensor', () => {
    expect([judgeSupply(4.8, 4.5, false).passed, judgeSupply(2.9, 3.0, true).passed]).toEqual([true, false]);
    expect(handTolerance(air)).toBe(2);
    expect(judgeByHand(air, 21.4, 20, 2)).toEqual({ passed: true, text: 'reads 21.4 °C, by hand 20.0 °C: +1.4 °C, ±2.0 °C may be' });
    expect(judgeByHand(air, 25, 20, 2).passed).toBe(false);
  });
});

describe('what is asked of a node', () => {
  const points = [
    { ...air, kind: 'measured' as const },
    { ...hatch, kind: 'measured' as const },
    { ...humidity, name: 'bed', label: 'Bed', kind: 'measured' as const },
    { ...air, name: 'dew', kind: 'derived' as const },
  ];
  it('asks nobody to hold an instrument to why a node woke', () => {
    const woke = {
      ...air,
      name: 'woke-by',
      kind: 'measured' as const,
      unit: '',
      min: 0,
      max: 3,
      decimals: 0,
      physicalMin: 0,
      physicalMax: 3,
    };
    expect(fitNeeds([{ ...air, kind: 'measured' }, woke]).map(({ point }) => point)).toEqual([null, null, 'temperature']);
  });
  const idsOf = (asks: Parameters<typeof fitNeeds>[1]): string[] => fitNeeds(points, asks).map(({ id }) => id);
  it('no meter at a mains supply that says nothing; no figure where the part is not calibrated yet', () => {
    expect(idsOf({ supply: false, uncalibrated: new Set(['bed', 'hatch']) })).toEqual([
      'signal',
      'reading:temperature',
      'contact:hatch',
      'self-test:bed',
    ]);
    expect(idsOf({ supply: true, uncalibrated: new Set() })).toEqual([
      'signal',
      'supply',
      'reading:temperature',
      'contact:hatch',
      'reading:bed',
    ]);
  });
  it('a contact follows by any change, a value by more than its noise', () => {
    expect([followsFrom(hatch), followsFrom(air), followsFrom({ min: 0, max: 1, decimals: 3 })]).toEqual([0.5, 0.8, 0.02]);
  });
  it('is settled when each has passed or is not possible, and one has passed; what was not possible stays unarmed', () => {
    const need = (point: string | null, state: string) => ({ point, state });
    expect(fitOutcome([need(null, 'passed'), need('bed', 'not-possible')])).toEqual({ settled: true, unproved: ['bed'] });
    expect(fitOutcome([need(null, 'not-possible'), need('bed', 'passed')])).toEqual({ settled: true, unproved: [] });
    for (const state of ['open', 'running', 'failed']) expect(fitOutcome([need(null, 'passed'), need('bed', state)]).settled).toBe(false);
    expect(fitOutcome([need(null, 'not-possible'), need('bed', 'not-possible')]).settled).toBe(false);
    expect(fitOutcome([]).settled).toBe(false);
  });
});
