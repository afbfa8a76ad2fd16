import { lineThrough } from '../sensors';
import { beganIn, betweenHours, countedIn, heldHours, slopePerHour } from './day';
import type { Formula, FormulaInput } from './formula';
import { ANY, at, formula, GAP, gapOf, MINUTES, of, parameter, TEMPERATURE } from './make';

/** What a rate comes to since midnight: the area under it. */
const areaToday = (id: string, what: string, input: FormulaInput, unit: string, shown: Pick<Formula, 'decimals' | 'range'>): Formula =>
  formula({
    ...{
      id,
      title: `${what} since midnight`,
      group: 'power',
      inputs: [input],
      unit: () => unit,
      window: { kind: 'day' },
      parameters: [GAP],
    },
    ...shown,
    source: `area under the ${input.label.toLowerCase()}, by trapezoids`,
    compute: (given) => betweenHours(given, gapOf(given)),
  });

/** Percent of a cell by its rested voltage. Typical curves of makers' datasheets, from memory: a hint, no gauge. */
const CURVES: Readonly<Record<number, readonly (readonly [volts: number, percent: number])[]>> = {
  1: [
    [3.3, 0],
    [3.6, 10],
    [3.7, 30],
    [3.8, 55],
    [3.95, 80],
    [4.2, 100],
  ],
  2: [
    [2.8, 0],
    [3.1, 10],
    [3.2, 25],
    [3.27, 60],
    [3.32, 90],
    [3.4, 100],
  ],
  3: [
    [2, 0],
    [2.3, 15],
    [2.5, 35],
    [2.7, 60],
    [2.9, 85],
    [3.2, 100],
  ],
  4: [
    [11.6, 0],
    [12, 25],
    [12.2, 50],
    [12.45, 75],
    [12.7, 100],
    [13, 100],
  ],
};
function percentByVolts(volts: number, chemistry: number): number | null {
  const curve = CURVES[chemistry];
  const [first, last] = [curve?.[0], curve?.at(-1)];
  if (!curve || !first || !last || !Number.isFinite(volts)) return null;
  if (volts <= first[0]) return 0;
  if (volts >= last[0]) return 100;
  const upper = curve.findIndex(([v]) => v >= volts);
  return lineThrough(volts, curve[upper - 1] ?? first, curve[upper] ?? last);
}

/** A coefficient of temperature wants two temperatures so far apart, K. Common practice. */
const LEAST_APART = 5;

/** Formulas of power, counts, contacts, and of any figures. */
export const OF_FIGURES: readonly Formula[] = [
  formula({
    ...{ id: 'counted-today', title: 'Counted since midnight', group: 'counts and contacts', unit: (first: string) => first, decimals: 1 },
    ...{ inputs: [{ name: 'counter', label: 'Counter', unit: null }], range: [0, 1000], window: { kind: 'day' } },
    source: 'sum of its steps; a step back is a restart, or a wrap near its end',
    parameters: [parameter('each', 'Each count is worth', '', 1, 1e-6, 1e6), parameter('wrap', 'It wraps at', '', 4_294_967_296, 10, 1e15)],
    compute: (given) => countedIn(given, of(given, 'wrap')) * of(given, 'each'),
  }),
  formula({
    ...{ id: 'rain-hour', title: 'Rain of the last hour', group: 'counts and contacts', unit: () => 'mm', decimals: 1, range: [0, 30] },
    ...{ inputs: [{ name: 'tips', label: 'Tips of the gauge', unit: null }], window: { kind: 'seconds', seconds: 3600 } },
    source: 'tips times the gauge’s depth a tip; restarts left out',
    parameters: [parameter('each', 'Each tip is', 'mm', 0.2, 0.01, 10), parameter('wrap', 'It wraps at', '', 4_294_967_296, 10, 1e15)],
    compute: (given) => countedIn(given, of(given, 'wrap')) * of(given, 'each'),
  }),
  formula({
    ...{
      id: 'open-today',
      title: 'Open or on since midnight',
      group: 'counts and contacts',
      unit: () => 'min',
      decimals: 0,
      range: [0, 1440],
    },
    ...{
      inputs: [{ name: 'contact', label: 'Contact or output', unit: '' }],
      window: { kind: 'day' },
      source: 'time in which it stood open, or was read back on, until its newest report',
    },
    compute: (given) =>
      heldHours(
        {
          ...given,
          window: given.window.map((one) => ({ ...one, value: one.value > 0.5 ? 1 : 0 })),
          before: given.before && { ...given.before, value: given.before.value > 0.5 ? 1 : 0 },
        },
        Infinity,
      ) * 60,
  }),
  formula({
    ...{ id: 'starts-today', title: 'Starts since midnight', group: 'counts and contacts', unit: () => '', decimals: 0, range: [0, 50] },
    ...{
      inputs: [{ name: 'contact', label: 'Contact or output', unit: '' }],
      window: { kind: 'day' },
      source: 'how often it was opened, or was read back on after off',
    },
    compute: beganIn,
  }),
  areaToday('energy-today', 'Energy', { name: 'power', label: 'Power', unit: 'W' }, 'Wh', { decimals: 0, range: [0, 5000] }),
  areaToday('charge-today', 'Charge', { name: 'current', label: 'Current', unit: 'A' }, 'Ah', { decimals: 2, range: [0, 100] }),
  formula({
    ...{
      id: 'battery-percent',
      title: 'Battery, percent',
      group: 'power',
      inputs: [{ name: 'volts', label: 'Voltage, rested', unit: 'V' }],
    },
    ...{ unit: () => '%', decimals: 0, range: [0, 100], source: 'typical discharge curves, from memory: a hint, no gauge' },
    parameters: [parameter('chemistry', '1 lithium-ion, 2 lithium-iron, 3 two alkaline, 4 lead 12 V', '', 1, 1, 4)],
    compute: (given) => percentByVolts(at(given, 0), of(given, 'chemistry')),
  }),
  formula({
    ...{
      id: 'difference',
      title: 'Difference',
      group: 'any figures',
      inputs: [ANY, { ...ANY, name: 'less', label: 'Less' }],
      unit: (first: string) => (first === '°C' ? 'K' : first),
    },
    ...{ decimals: 1, range: [-10, 10], source: 'the first less the second' },
    compute: (given) => at(given, 0) - at(given, 1),
  }),
  formula({
    ...{
      id: 'at-one-temperature',
      title: 'Less what its temperature adds',
      group: 'any figures',
      inputs: [ANY, { ...TEMPERATURE, label: 'Temperature of the sensor' }],
      unit: (first: string) => first,
    },
    ...{
      decimals: 2,
      range: 'of its inputs',
      source: 'less a straight share of the temperature, by two readings of one load at two temperatures',
    },
    parameters: [
      parameter('cold', 'Cold, it was', '°C', 5, -40, 80),
      parameter('shown-cold', 'and showed', '', 0, -1e9, 1e9),
      parameter('warm', 'Warm, it was', '°C', 25, -40, 80),
      parameter('shown-warm', 'and showed, of the same load,', '', 0, -1e9, 1e9),
    ],
    compute: (given) => {
      const [cold, warm] = [of(given, 'cold'), of(given, 'warm')];
      // Two readings too near each other say nothing of a temperature.
      if (Math.abs(warm - cold) < LEAST_APART) return null;
      const perDegree = (of(given, 'shown-warm') - of(given, 'shown-cold')) / (warm - cold);
      return at(given, 0) - perDegree * (at(given, 1) - cold);
    },
  }),
  formula({
    ...{
      id: 'sum',
      title: 'Sum',
      group: 'any figures',
      inputs: [ANY, ANY],
      mostInputs: 8,
      unit: (first: string) => first,
      decimals: 1,
      range: 'of its inputs',
      source: 'all of them together',
    },
    compute: ({ values }) => values.reduce((sum, value) => sum + value, 0),
  }),
  formula({
    ...{
      id: 'mean',
      title: 'Mean of points',
      group: 'any figures',
      inputs: [ANY, ANY],
      mostInputs: 8,
      unit: (first: string) => first,
      decimals: 1,
      range: 'of its inputs',
      source: 'their arithmetic mean',
    },
    compute: ({ values }) => values.reduce((sum, value) => sum + value, 0) / values.length,
  }),
  formula({
    ...{
      id: 'mean-over',
      title: 'Mean over a time',
      group: 'any figures',
      inputs: [ANY],
      unit: (first: string) => first,
      decimals: 1,
      range: 'of its inputs',
    },
    ...{ window: { kind: 'minutes', parameter: 'minutes' }, parameters: [MINUTES], source: 'mean of the readings within' },
    compute: ({ window }) => (window.length === 0 ? null : window.reduce((sum, { value }) => sum + value, 0) / window.length),
  }),
  formula({
    ...{
      id: 'highest-over',
      title: 'Highest over a time',
      group: 'any figures',
      inputs: [ANY],
      unit: (first: string) => first,
      decimals: 1,
      range: 'of its inputs',
    },
    ...{
      window: { kind: 'minutes', parameter: 'minutes' },
      parameters: [MINUTES],
      source: 'the highest reading within; of wind: its gust',
    },
    compute: ({ window }) => (window.length === 0 ? null : Math.max(...window.map(({ value }) => value))),
  }),
  formula({
    ...{
      id: 'rate',
      title: 'Rate of change',
      group: 'any figures',
      inputs: [ANY],
      unit: (first: string) => `${first === '°C' ? 'K' : first}/h`,
      decimals: 2,
      range: [-5, 5],
    },
    ...{
      window: { kind: 'minutes', parameter: 'minutes' },
      parameters: [MINUTES],
      source: 'slope of the line through the readings within, by least squares',
    },
    compute: ({ window }) => (window.length < 3 ? null : slopePerHour(window)),
  }),
  formula({
    ...{
      id: 'degree-hours',
      title: 'Degree-hours since midnight',
      group: 'any figures',
      inputs: [{ ...TEMPERATURE, label: 'Temperature' }],
      unit: () => 'Kh',
    },
    ...{ decimals: 1, range: [0, 500], window: { kind: 'day' }, source: 'area between the temperature and a base, above it alone' },
    parameters: [parameter('base', 'Above', '°C', 10, -30, 60), GAP],
    compute: (given) =>
      betweenHours({ window: given.window.map((one) => ({ ...one, value: Math.max(0, one.value - of(given, 'base')) })) }, gapOf(given)),
  }),
];
