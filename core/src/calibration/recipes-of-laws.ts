import { figure, shows, type CalibratedPoint, type Recipe, type RecipeFigure, type RecipeStep } from './recipe';

const DIVIDED: readonly RecipeFigure[] = [
  // What full supply reads as: of a converter that measures against its own supply, the end of its counts.
  { ...figure('supply', 'Its supply reads as', '', null, 1, 1_000_000), inRaw: true },
  figure('series', 'Resistor from supply to signal', 'Ω', 10_000, 1, 100_000_000),
];
/** Its node sends volts over a resistance to ground, or counts of them. */
const divided = ({ rawUnit }: CalibratedPoint): boolean => rawUnit === 'mV' || rawUnit === 'counts';
const bath = (title: string, hand: string): RecipeStep => ({ title, hand, ...shows('The thermometer shows', '°C', -60, 300) });
const SCALD = 'Hot water scalds: gloves, a jar that stands firm, and nothing with mains near it.';

/** Ways of parts that follow a law of physics: what they are wired with is asked first. */
export const LAW_RECIPES: readonly Recipe[] = [
  {
    ...{ id: 'three-baths', title: 'a thermistor in three baths', method: 'law', reference: 0.1, caution: SCALD },
    fits: (point) => point.unit === '°C' && divided(point),
    law: {
      figures: DIVIDED,
      of: ({ supply = NaN, series = NaN }) => ({ kind: 'three', supply, seriesOhms: series }),
    },
    steps: [
      bath('Cold', 'In melting ice, in the middle of it, stirred; the thermometer beside it, both dry in one bag.'),
      bath('Middle', 'In water as warm as the room, stirred. Wait until both stand still.'),
      bath('Warm', 'In water as warm as it will ever have to measure, stirred all the while.'),
    ],
  },
  {
    ...{ id: 'beta', title: 'a thermistor by its datasheet', method: 'law', reference: 0.1, caution: null, trims: true },
    fits: (point) => point.unit === '°C' && divided(point),
    law: {
      figures: [
        ...DIVIDED,
        figure('ohms', 'Its resistance at 25 °C', 'Ω', 10_000, 1, 100_000_000),
        figure('beta', 'Its Beta, 25/85', 'K', 3950, 1000, 8000),
        figure('tolerance', 'Tolerance of that resistance', '%', 1, 0.05, 20),
      ],
      of: ({ supply = NaN, series = NaN, ohms = NaN, beta = NaN, tolerance = NaN }) => ({
        ...{ kind: 'beta', supply, seriesOhms: series, atTwentyFive: ohms, beta, tolerancePercent: tolerance },
      }),
    },
    steps: [
      bath(
        'Trimmed beside a thermometer',
        'In the air or water that it will measure, a good thermometer beside it. Leave it out to believe the datasheet.',
      ),
    ],
  },
  {
    ...{ id: 'sender', title: 'a sender of two known points', method: 'law', reference: 0 },
    fits: (point) => point.unit !== '°C' && divided(point) && /level|fuel|tank|depth|position|knob/.test(point.name),
    caution: 'Fuel: no flame, no spark, air about you; what hangs in a tank of fuel is for who knows it.',
    law: { figures: DIVIDED, of: ({ supply = NaN, series = NaN }) => ({ kind: 'sender', supply, seriesOhms: series }) },
    steps: [
      { title: 'Low', hand: 'At its lowest, or as empty as it gets.', ...shows('It is then', '', -1e6, 1e6) },
      { title: 'High', hand: 'At its highest, or as full as it gets.', ...shows('It is then', '', -1e6, 1e6) },
    ],
  },
  {
    ...{ id: 'platinum', title: 'a platinum resistor by its standard', method: 'law', reference: 0.05, caution: null, trims: true },
    fits: ({ unit, rawUnit }) => unit === '°C' && rawUnit === 'Ω',
    law: {
      figures: [figure('zero', 'Its resistance at 0 °C', 'Ω', 100, 10, 10_000)],
      of: ({ zero = NaN }) => ({ kind: 'platinum', atZero: zero }),
    },
    steps: [
      bath(
        'Leads, in melting ice',
        'Crushed ice of clean water, just wet, stirred; type 0. What it reads too much are its leads. Leave it out where its converter takes them off itself.',
      ),
    ],
  },
];
