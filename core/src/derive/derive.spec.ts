import fc from 'fast-check';
import { dewPointCelsius } from '../air';
import {
  computeAt,
  FORMULAS,
  formulaNamed,
  inputsProblem,
  pairsProblem,
  shownOver,
  windowBegin,
  type Formula,
  type Moment,
  type Pairs,
  type Sample,
} from '.';

const HOUR = 3_600_000;
const DAY = 24 * HOUR;
const T0 = Date.parse('2026-11-20T00:00:00Z');
const midnight = (at: number): number => Math.floor(at / DAY) * DAY;
const named = (id: string): Formula => {
  const found = formulaNamed(id);
  if (!found) throw new Error(`no formula ${id}`);
  return found;
};
/** Computes one formula over readings of its first input alone. */
const alone = (id: string, samples: readonly Sample[], unit: string, parameters: Record<string, number> = {}): Sample[] => {
  const formula = named(id);
  const usual = Object.fromEntries(formula.parameters.map((one) => [one.name, one.usual]));
  const moments = samples.map((one): Moment => ({ ...one, others: [] }));
  return computeAt(formula, { moments, samples, units: [unit], parameters: { ...usual, ...parameters }, midnight });
};
const every = (minutes: number, values: readonly number[], from = T0): Sample[] =>
  values.map((value, i) => ({ at: from + i * minutes * 60_000, value }));
const last = (samples: readonly Sample[]): number => samples.at(-1)!.value;

describe('formulas', () => {
  it('are named once, say their source and what they are shown over, and are usable as they are offered', () => {
    expect(new Set(FORMULAS.map(({ id }) => id)).size).toBe(FORMULAS.length);
    for (const { id, source, range, parameters, inputs, mostInputs } of FORMULAS) {
      expect([id, source.length > 10, range === 'of its inputs' || range[1] > range[0], mostInputs >= inputs.length]).toEqual([
        id,
        true,
        true,
        true,
      ]);
      for (const { usual, min, max } of parameters) expect(usual >= min && usual <= max).toBe(true);
    }
  });
  it('count how often something began since midnight: what stood at midnight already is none, nor is the first that is known', () => {
    // Off, on, on, off, on by the half hour: by hand 2; on already before midnight: its next start is the first.
    expect(last(alone('starts-today', every(30, [0, 1, 1, 0, 1]), ''))).toBe(2);
    expect(alone('starts-today', every(30, [1, 1, 0, 1], T0 - 30 * 60_000), '').map(({ value }) => value)).toEqual([0, 0, 0, 1]);
    expect(last(alone('starts-today', every(30, [1]), ''))).toBe(0);
    // A new day begins at nought.
    expect(alone('starts-today', every(12 * 60, [0, 1, 0, 1]), '').map(({ value }) => value)).toEqual([0, 1, 0, 1]);
  });
  it('refuse inputs in the wrong number or unit, in words; other units of the same quantity are converted', () => {
    expect(inputsProblem(named('dew-point'), ['°C'])).toBe('Dew point wants 2 points.');
    expect(inputsProblem(named('dew-point'), ['°C', 'hPa'])).toMatch(/Humidity is wanted in %, and this one is in hPa/);
    expect(inputsProblem(named('mean'), ['°C', '%'])).toMatch(/wanted in °C/);
    expect(inputsProblem(named('mean'), Array(9).fill('°C'))).toBe('Mean of points wants 2 to 8 points.');
    expect(inputsProblem(named('dew-point'), ['°F', '%'])).toBeNull();
    const moments = [{ at: T0, value: 68, others: [50] }];
    const [made] = computeAt(named('dew-point'), { moments, samples: [], units: ['°F', '%'], parameters: {}, midnight });
    expect(made!.value).toBeCloseTo(dewPointCelsius(20, 50)!, 9);
  });
  it('are shown over their own range, or over that of their inputs, which a sum adds up', () => {
    expect(shownOver(named('condensation-margin'), [[0, 40]])).toEqual([-5, 15]);
    expect(
      shownOver(named('mean'), [
        [0, 40],
        [-10, 30],
      ]),
    ).toEqual([-10, 40]);
    expect(
      shownOver(named('sum'), [
        [0, 40],
        [0, 30],
      ]),
    ).toEqual([0, 70]);
    expect(shownOver(named('mean-over'), [[5, 5]])).toEqual([5, 6]);
  });
  it('have no value where an input is missing, too old, or makes no sense: never a guess', () => {
    const run = (others: (number | null)[]): Sample[] =>
      computeAt(named('dew-point'), {
        moments: [{ at: T0, value: 20, others }],
        samples: [],
        units: ['°C', '%'],
        parameters: {},
        midnight,
      });
    expect([run([null]), run([0]), run([101])]).toEqual([[], [], []]);
    expect(alone('battery-percent', every(1, [NaN]), 'V')).toEqual([]);
  });
});

describe('what looks back', () => {
  it('a counter counts on over restarts and its wrap, from midnight, also from the last reading of yesterday', () => {
    const counts = every(60, [100, 104, 2, 5], T0);
    expect(alone('counted-today', counts, '').map(({ value }) => value)).toEqual([0, 4, 6, 9]);
    expect(last(alone('counted-today', every(60, [65_500, 65_530, 10]), '', { wrap: 65_536 }))).toBe(46);
    const over = every(60, [10, 12, 15, 19], T0 + 22 * HOUR);
    // 22:00 and 23:00 of one day, 0:00 and 1:00 of the next: what was read at midnight belongs to the day before.
    expect(alone('counted-today', over, '', { each: 2 }).map(({ value }) => value)).toEqual([0, 4, 0, 8]);
    const past = over.map((one) => ({ ...one, at: one.at + 60_000 }));
    expect(alone('counted-today', past, '', { each: 2 }).map(({ value }) => value)).toEqual([0, 4, 6, 14]);
    expect(last(alone('rain-hour', every(30, [0, 3, 5, 5], T0 + HOUR), '', { each: 0.2 }))).toBeCloseTo(0.4, 9);
  });
  it('energy is the area under the power, and a gap no longer than it may be', () => {
    expect(last(alone('energy-today', every(30, [100, 100, 200]), 'W'))).toBeCloseTo(50 + 75, 9);
    expect(last(alone('energy-today', [...every(1, [60]), ...every(1, [60], T0 + 5 * HOUR)], 'W'))).toBeCloseTo(30, 9);
  });
  it('a contact that stood open over midnight counts from midnight', () => {
    const contact = [
      { at: T0 - 2 * HOUR, value: 1 },
      { at: T0 + HOUR, value: 0 },
      { at: T0 + 3 * HOUR, value: 1 },
      { at: T0 + 4 * HOUR, value: 0 },
    ];
    expect(alone('open-today', contact, '').map(({ value }) => value)).toEqual([0, 60, 60, 120]);
  });
  it('a tendency over three hours is none before there are three hours', () => {
    const falling = every(
      30,
      Array.from({ length: 12 }, (_, i) => 1000 - i / 2),
    );
    const made = alone('pressure-tendency', falling, 'hPa');
    expect(made[0]!.at - T0).toBeGreaterThanOrEqual(2.5 * HOUR);
    expect(last(made)).toBeCloseTo(-3, 9);
  });
  it('rate, mean and highest are those of the readings within', () => {
    const rising = every(10, [10, 11, 12, 13, 14, 15, 16]);
    expect(last(alone('rate', rising, '°C'))).toBeCloseTo(6, 9);
    expect(last(alone('mean-over', rising, '°C', { minutes: 20 }))).toBe(15);
    expect(last(alone('highest-over', every(1, [1, 9, 2]), 'm/s', { minutes: 1 }))).toBe(9);
    expect(alone('rate', every(10, [1, 2]), '°C')).toEqual([]);
  });
  it('degree-hours count above the base alone', () => {
    expect(last(alone('degree-hours', every(30, [5, 12, 14, 14]), '°C'))).toBeCloseTo(0.5 + 1.5 + 2, 9);
  });
});

describe('litres by level', () => {
  it('are the shape’s, a full lying cylinder a standing one’s; a level past the top is none', () => {
    expect(last(alone('tank-box', every(1, [50]), 'cm'))).toBeCloseTo(500, 9);
    const [lying, standing] = [last(alone('tank-lying', every(1, [100]), 'cm')), last(alone('tank-standing', every(1, [200]), 'cm'))];
    expect(lying).toBeCloseTo(standing, 6);
    expect(alone('tank-lying', every(1, [101, -1]), 'cm')).toEqual([]);
    expect(last(alone('tank-box', every(1, [0.5]), 'm'))).toBeCloseTo(500, 9);
  });
});

it('computed a piece at a time or all at once, it comes to the same', () => {
  const counting = FORMULAS.filter(({ window, inputs }) => window.kind !== 'none' && inputs.length === 1);
  fc.assert(
    fc.property(
      fc.constantFrom(...counting),
      fc.uniqueArray(fc.tuple(fc.integer({ min: 0, max: 3000 }), fc.integer({ min: 0, max: 40 })), {
        minLength: 2,
        maxLength: 40,
        selector: ([at]) => at,
      }),
      fc.nat(),
      (formula, rows, cut) => {
        const samples = rows.map(([minute, value]) => ({ at: T0 + minute * 60_000, value })).sort((a, b) => a.at - b.at);
        const parameters = Object.fromEntries(formula.parameters.map((one) => [one.name, one.usual]));
        const unit = formula.inputs[0]!.unit ?? 'l';
        const run = (part: readonly Sample[], known: readonly Sample[]): Sample[] =>
          computeAt(formula, { moments: part.map((one) => ({ ...one, others: [] })), samples: known, units: [unit], parameters, midnight });
        const at = cut % samples.length;
        const pieces = [
          ...run(samples.slice(0, at), samples.slice(0, at)),
          ...samples.slice(at).flatMap((one, i) => {
            // As the server asks for it: from the window's begin on, with the one reading before it.
            const begins = windowBegin(formula, parameters, one.at, midnight);
            const known = samples.slice(0, at + i + 1);
            const first = known.findIndex((sample) => sample.at >= begins);
            return run([one], known.slice(Math.max(0, first - 1)));
          }),
        ];
        const whole = run(samples, samples);
        expect(pieces.map(({ at: time }) => time)).toEqual(whole.map(({ at: time }) => time));
        pieces.forEach(({ value }, i) => expect(value).toBeCloseTo(whole[i]!.value, 6));
      },
    ),
  );
});

describe('what a tank holds', () => {
  const litres = (id: string, level: number, parameters: Record<string, number> = {}, pairs: Pairs = []): number | undefined => {
    const usual = Object.fromEntries(named(id).parameters.map((one) => [one.name, one.usual]));
    const moments = [{ at: T0, value: level, others: [] }];
    return computeAt(named(id), { moments, samples: [], units: ['cm'], parameters: { ...usual, ...parameters }, pairs, midnight })[0]
      ?.value;
  };
  it('by its shape: a cone is a third of its cylinder, a sphere is half at half', () => {
    expect(litres('tank-box', 50, { length: 100, width: 200 })).toBeCloseTo(1000, 9);
    expect(litres('tank-standing', 100, { diameter: 100 })).toBeCloseTo((Math.PI / 4) * 1000, 9);
    expect(litres('tank-lying', 50, { diameter: 100, length: 200 })).toBeCloseTo((Math.PI / 4) * 1000, 9);
    expect(litres('tank-cone', 40, { diameter: 100, cone: 40 })).toBeCloseTo(((Math.PI / 4) * 400) / 3, 9);
    expect(litres('tank-sphere', 50, { diameter: 100 })).toBeCloseTo((Math.PI / 12) * 1000, 9);
    expect([litres('tank-lying', 101), litres('tank-sphere', 101), litres('tank-box', -1)]).toEqual([undefined, undefined, undefined]);
  });
  it('by its strapping table: straight between its rows, held at its ends; without one by nothing', () => {
    const table: Pairs = [
      [0, 0],
      [40, 180],
      [90, 480],
    ];
    expect([0, 20, 65, 90, 120].map((level) => litres('tank-table', level, {}, table))).toEqual([0, 90, 330, 480, 480]);
    expect(litres('tank-table', 20)).toBeUndefined();
  });
  it('a table that turns back, is too short, or stands where none is wanted is refused, in words', () => {
    const table = named('tank-table');
    expect(pairsProblem(table, [[0, 0]])).toMatch(/two rows at least: Level, cm and litres in each/);
    expect(
      pairsProblem(table, [
        [0, 0],
        [40, 180],
        [40, 190],
      ]),
    ).toMatch(/Row 3 of the table \(40 and 190\) does not lie above/);
    expect(
      pairsProblem(table, [
        [0, 10],
        [40, 9],
      ]),
    ).toMatch(/Row 2/);
    expect(pairsProblem(named('sum'), [[0, 0]])).toBe('Sum follows no table.');
    expect(
      pairsProblem(table, [
        [0, 0],
        [40, 0],
      ]),
    ).toBeNull();
  });
  it('what plants can take of it: nothing at the wilting point, all at field capacity; of a loam by FAO-56, table 19', () => {
    const { presets } = named('plant-available');
    const loam = presets!.choices.find(({ name }) => name === 'loam')!.figures;
    // Field capacity 0.20 – 0.30, wilting point 0.07 – 0.17: their middles.
    expect(loam).toEqual({ capacity: 25, wilting: 12 });
    const share = (percent: number): number | undefined => {
      const moments = [{ at: T0, value: percent, others: [] }];
      return computeAt(named('plant-available'), { moments, samples: [], units: ['%'], parameters: loam, midnight })[0]?.value;
    };
    expect([share(12), share(25), share(18.5)]).toEqual([0, 100, 50]);
    expect(presets!.choices).toHaveLength(9);
  });
  it('as percent of full', () => {
    const moments = [{ at: T0, value: 250, others: [] }];
    expect(computeAt(named('share-of-full'), { moments, samples: [], units: ['l'], parameters: { full: 1000 }, midnight })[0]?.value).toBe(
      25,
    );
  });
});

describe('less what a temperature adds', () => {
  const weigh = (value: number, celsius: number, unit: string, parameters: Record<string, number>): number | undefined =>
    computeAt(named('at-one-temperature'), {
      ...{ moments: [{ at: T0, value, others: [celsius] }], samples: [], units: ['kg', unit], parameters, midnight },
    })[0]?.value;
  it('a scale that showed 20.0 kg at 5 °C and 20.4 kg at 25 °C shows one load alike at any of them', () => {
    const seen = { cold: 5, 'shown-cold': 20, warm: 25, 'shown-warm': 20.4 };
    for (const celsius of [-5, 5, 15, 30]) expect(weigh(20 + 0.02 * (celsius - 5), celsius, '°C', seen)).toBeCloseTo(20, 9);
    // Told in °F it is the same temperature.
    expect(weigh(20.4, 77, '°F', seen)).toBeCloseTo(20, 9);
  });
  it('two temperatures that lie too near each other say nothing', () => {
    expect(weigh(20, 20, '°C', { cold: 20, 'shown-cold': 20, warm: 22, 'shown-warm': 20.4 })).toBeUndefined();
  });
});
