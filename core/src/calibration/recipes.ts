import { fromQnhHectopascals } from '../pressure';
import { bucketLitresPerMinute, pouredMillimetres, saltHumidity, sampleWaterPercent } from './references';

import { called, figure, known, shows, type CalibratedPoint, type Recipe, type RecipeStep } from './recipe';
import { LAW_RECIPES } from './recipes-of-laws';
const salt = (which: Parameters<typeof saltHumidity>[0], title: string): RecipeStep => ({
  title,
  hand: `Put the sensor into a closed jar over a slurry of ${which} and water, salt left undissolved, nothing of it touching the sensor. Wait some hours until it has settled, the temperature steady.`,
  figures: [figure('celsius', 'Temperature in the jar', '°C', 20, 5, 40)],
  reference: ({ celsius = NaN }) => saltHumidity(which, celsius),
});
const DRY_SOIL: RecipeStep = {
  title: 'Dry',
  hand: 'Soil of this bed, dried in the air until it weighs no less. Put the probe in to its depth.',
  ...shows('Water by volume', '%', 0, 30),
};

/** A missing common ground lifts what is measured by a diode's drop, whatever is measured. Common practice. */
const DIODE_VOLTS = [0.5, 0.8] as const;

export const RECIPES: readonly Recipe[] = [
  {
    ...{ id: 'soil', title: 'dry and wet, in this soil', method: 'two-point', reference: 0, caution: null },
    fits: called(/^soil|moisture/, '%'),
    steps: [
      DRY_SOIL,
      {
        title: 'Wet',
        hand: 'The same soil, well wetted and drained. Put the probe in anew, to the same depth, and weigh a sample of it: a ring of known volume, wet, then dried for a day at 105 °C.',
        figures: [
          figure('wet', 'Sample, wet', 'g', null, 1, 100_000),
          figure('dry', 'Sample, dried', 'g', null, 1, 100_000),
          figure('volume', 'Its volume', 'cm³', 100, 1, 100_000),
        ],
        reference: ({ wet = NaN, dry = NaN, volume = NaN }) => {
          const percent = sampleWaterPercent(wet, dry, volume);
          return percent > 0 && percent <= 100 ? percent : null;
        },
      },
    ],
  },
  {
    ...{ id: 'soil-by-weight', title: 'dry and wet, weighed without a ring', method: 'two-point', reference: 0, caution: null },
    fits: called(/^soil|moisture/, '%'),
    steps: [
      DRY_SOIL,
      {
        title: 'Wet',
        hand: 'The same soil, well wetted and drained. Put the probe in anew, to the same depth, and weigh a spoonful of it, wet, then dried for a day at 105 °C. What it weighs by volume follows from how densely it lies: a litre of it, dried.',
        figures: [
          figure('wet', 'Spoonful, wet', 'g', null, 1, 100_000),
          figure('dry', 'Spoonful, dried', 'g', null, 1, 100_000),
          figure('density', 'A litre of it, dried', 'kg', 1.3, 0.1, 2),
        ],
        reference: ({ wet = NaN, dry = NaN, density = NaN }) => {
          const percent = ((100 * (wet - dry)) / dry) * density;
          return percent > 0 && percent <= 100 ? percent : null;
        },
      },
    ],
  },
  {
    ...{ id: 'ice', title: 'in melting ice', method: 'offset', reference: 0.05, caution: null },
    fits: ({ unit }) => unit === '°C',
    steps: [
      {
        title: 'Melting ice',
        hand: 'Crushed ice of clean water with just so much water that it is wet, stirred; a probe that may get wet in its middle, not at the wall. A bare board never: put it in a bag, dry.',
        ...known(0),
      },
    ],
  },
  {
    ...{ id: 'salts', title: 'over two saturated salts', method: 'two-point', reference: 0.3 },
    fits: ({ unit, name }) => unit === '%' && /humid/.test(name),
    caution: 'Lithium chloride is harmful when swallowed: gloves, and out of the reach of children.',
    steps: [salt('lithium chloride', 'Lithium chloride'), salt('sodium chloride', 'Table salt (sodium chloride)')],
  },
  {
    ...{ id: 'pressure', title: 'by a weather station’s pressure', method: 'offset', reference: 0.3, caution: null },
    fits: ({ unit }) => unit === 'hPa',
    steps: [
      {
        title: 'A station near by',
        hand: 'Pressure at sea level (QNH) as a station within some 30 km tells it now, on a calm day, and how high this sensor hangs.',
        figures: [figure('qnh', 'QNH there', 'hPa', null, 900, 1080), figure('metres', 'Height of the sensor', 'm', null, -400, 5000)],
        reference: ({ qnh = NaN, metres = NaN }) => fromQnhHectopascals(qnh, metres),
      },
    ],
  },
  {
    ...{ id: 'fresh-air', title: 'in fresh air', method: 'offset', reference: 15 },
    fits: ({ unit, name }) => unit === 'ppm' && /co2|carbon/.test(name),
    caution:
      'Where the room never sees fresh air, take the sensor’s own automatic baseline off: it takes its lowest week for outdoor air. A CO2 sensor at home is no life safety device.',
    steps: [
      {
        title: 'Outdoors',
        hand: 'Outdoors, out of wind and sun, away from people, chimneys and traffic, for twenty minutes. Stand back while it settles.',
        figures: [figure('ppm', 'CO2 of fresh air', 'ppm', 427, 380, 600)],
        reference: ({ ppm }) => ppm ?? null,
      },
    ],
  },
  {
    ...{ id: 'scale', title: 'empty and a known weight', method: 'two-point', reference: 0 },
    fits: ({ unit }) => unit === 'kg' || unit === 'g',
    caution: 'Nobody under a load that hangs, and nothing stacked that may fall.',
    steps: [
      { title: 'Empty', hand: 'Everything off that is not to be weighed. Wait a minute.', ...known(0) },
      {
        title: 'Known weight',
        hand: 'A weight you know, near the most it will carry, in its middle. Wait until it creeps no more: some minutes.',
        ...shows('Weight', '', 0.001, 1_000_000),
      },
    ],
  },
  {
    ...{ id: 'tare', title: 'empty again (tare)', method: 'offset', reference: 0, caution: null },
    fits: ({ unit }) => unit === 'kg' || unit === 'g',
    steps: [{ title: 'Empty', hand: 'Everything off that is not to be weighed. What a kilogram moves stays as it is.', ...known(0) }],
  },
  {
    ...{ id: 'divider', title: 'a divider, trimmed by a meter', method: 'gain', reference: 0 },
    fits: ({ unit }) => unit === 'V',
    caution: 'Cells hold enough to burn: no tool across both poles, and mains voltages are for a licensed electrician.',
    steps: [
      {
        title: 'Beside a meter',
        hand: 'Measure with a meter at the very terminals that the divider sees, and type what it shows.',
        ...shows('The meter shows', 'V', 0.1, 1000),
      },
      {
        title: 'Another voltage',
        hand: 'Once more at another voltage, as far away as there is: charged and low. Leave it out where there is none.',
        ...shows('The meter shows', 'V', 0.1, 1000),
      },
    ],
    remark: (captures) => {
      const misses = captures.map(({ raw, reference }) => reference - raw);
      const same = misses.length > 1 && Math.max(...misses) - Math.min(...misses) < 0.1 * Math.abs(misses[0] ?? 0);
      const size = Math.abs(misses[0] ?? 0);
      return same && size >= DIODE_VOLTS[0] && size <= DIODE_VOLTS[1]
        ? `It misses by ${size.toFixed(2)} V at every voltage: that is a missing common ground, not a wrong divider. Join the grounds before calibrating.`
        : null;
    },
  },
  {
    ...{ id: 'current-zero', title: 'zero, with nothing flowing', method: 'offset', reference: 0 },
    fits: ({ unit }) => unit === 'A' || unit === 'mA',
    caution: 'Disconnect the load by its own switch or fuse; mains conductors are for a licensed electrician.',
    steps: [{ title: 'Nothing flows', hand: 'The load disconnected, the sensor supplied as ever.', ...known(0) }],
  },
  {
    ...{ id: 'bucket', title: 'by bucket and clock', method: 'gain', reference: 0, caution: null },
    fits: ({ unit }) => unit === 'l/min' || unit === 'L/min',
    steps: [
      {
        title: 'Running steadily',
        hand: 'Let it run at its usual flow. While it does, fill a bucket of known volume by the clock: the larger, the better.',
        figures: [figure('litres', 'Into the bucket', 'l', null, 0.1, 10_000), figure('seconds', 'In', 's', null, 1, 36_000)],
        reference: ({ litres = NaN, seconds = NaN }) => (litres > 0 && seconds > 0 ? bucketLitresPerMinute(litres, seconds) : null),
      },
    ],
  },
  {
    ...{ id: 'poured', title: 'by poured water', method: 'gain', reference: 0, caution: null },
    fits: ({ unit, name }) => unit === 'mm' && /rain|tip/.test(name),
    steps: [
      {
        title: 'Poured slowly',
        hand: 'Level the gauge. Begin, pour a measured volume into the funnel over half an hour at least, as rain would come, then capture.',
        figures: [figure('millilitres', 'Poured', 'ml', 200, 10, 10_000), figure('funnel', 'Funnel, across', 'mm', 160, 30, 1000)],
        reference: ({ millilitres = NaN, funnel = NaN }) => (millilitres > 0 && funnel > 0 ? pouredMillimetres(millilitres, funnel) : null),
        counts: true,
      },
    ],
  },
  {
    ...{ id: 'wind', title: 'against another anemometer', method: 'gain', reference: 0 },
    fits: ({ unit, name }) => (unit === 'm/s' || unit === 'km/h') && /wind|gust|speed/.test(name),
    caution: 'On a mast or a roof: secured against a fall, not alone, and never with a storm near.',
    steps: [
      {
        title: 'Side by side in steady wind',
        hand: 'Both at one height, a few metres apart, in wind above a quarter of the range.',
        ...shows('The other shows', '', 0.5, 400),
      },
    ],
  },
  {
    ...{ id: 'north', title: 'where its north is', method: 'offset', reference: 3 },
    fits: ({ unit, name }) => unit === '°' && /direction|vane/.test(name),
    caution: 'On a mast or a roof: secured against a fall, not alone, and never with a storm near.',
    steps: [
      {
        title: 'Held to a bearing',
        hand: 'Hold the vane so that its nose points where wind would come from: to a mark whose bearing you know from a map. A compass tells magnetic north: add its declination, and keep it away from iron.',
        figures: [figure('bearing', 'True bearing it points to', '°', 0, 0, 360)],
        reference: ({ bearing = NaN }) => bearing,
      },
    ],
  },
  {
    ...{ id: 'depth', title: 'two depths with a rule', method: 'two-point', reference: 0 },
    fits: ({ unit, name }) => ['cm', 'm', 'mm', '%'].includes(unit) && /level|depth|distance|tank/.test(name),
    caution: 'Nobody into a tank or a pit alone, nor without a test of its air; covers back on.',
    steps: [
      { title: 'Low', hand: 'As empty as it gets. Measure the depth with a rule.', ...shows('Depth', '', -10_000, 10_000) },
      { title: 'High', hand: 'As full as it gets, not within the sensor’s blind zone.', ...shows('Depth', '', -10_000, 10_000) },
    ],
  },
  ...LAW_RECIPES,
];

/** Ways to calibrate a point of this unit and name, in the order they are offered. */
export const recipesFor = (point: CalibratedPoint): Recipe[] => RECIPES.filter((one) => one.fits(point));
