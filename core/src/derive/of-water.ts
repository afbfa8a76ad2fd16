import {
  boxLitres,
  coneBottomLitres,
  lyingCylinderLitres,
  sphericalCapLitres,
  standingCylinderLitres,
  strappingLitres,
} from '../calibration';
import { plantAvailableShare, SOIL_TEXTURES } from '../sensors';
import type { Formula, FormulaParameter } from './formula';
import { ANY, at, formula, LEVEL, of, parameter } from './make';

const DIAMETER = parameter('diameter', 'Diameter', 'cm', 100, 1, 5000);
const CENTIMETRES_PER_METRE = 100;
const SOIL = { name: 'soil', label: 'Soil moisture, by volume', unit: '%' } as const;
/** The middle of a range that a table gives as shares, in percent. */
const middleOf = ([low, high]: readonly [number, number]): number => Number((50 * (low + high)).toFixed(1));

/** Litres of a shape by a level in metres; `null`: it stands higher than the tank. */
type Litres = (level: number, metres: (name: string) => number) => number | null;

const tank = (id: string, title: string, parameters: readonly FormulaParameter[], litres: Litres): Formula =>
  formula({
    ...{ id, title, group: 'water', inputs: [LEVEL], parameters, unit: () => 'l', decimals: 0, range: [0, 2000] },
    source: 'volume of the shape, exact; dimensions within',
    compute: (given) => {
      const metres = at(given, 0) / CENTIMETRES_PER_METRE;
      return metres >= 0 ? litres(metres, (name) => of(given, name) / CENTIMETRES_PER_METRE) : null;
    },
  });

/** What a tank holds by its level, and how full it is. */
export const OF_WATER: readonly Formula[] = [
  tank(
    'tank-box',
    'Litres in a box',
    [parameter('length', 'Length', 'cm', 100, 1, 5000), parameter('width', 'Width', 'cm', 100, 1, 5000)],
    (level, of) => boxLitres(of('length'), of('width'), level),
  ),
  tank('tank-standing', 'Litres in a standing cylinder', [DIAMETER], (level, of) => standingCylinderLitres(of('diameter'), level)),
  tank('tank-lying', 'Litres in a lying cylinder', [DIAMETER, parameter('length', 'Length', 'cm', 200, 1, 5000)], (level, of) =>
    level <= of('diameter') ? lyingCylinderLitres(of('diameter'), of('length'), level) : null,
  ),
  tank(
    'tank-cone',
    'Litres in a cylinder on a cone',
    [DIAMETER, parameter('cone', 'Height of the cone at its bottom', 'cm', 40, 1, 5000)],
    (level, of) => coneBottomLitres(of('diameter'), of('cone'), level),
  ),
  tank('tank-sphere', 'Litres in a sphere', [DIAMETER], (level, of) =>
    level <= of('diameter') ? sphericalCapLitres(of('diameter') / 2, level) : null,
  ),
  formula({
    ...{ id: 'tank-table', title: 'Litres by a strapping table', group: 'water', inputs: [LEVEL], unit: () => 'l', decimals: 0 },
    ...{ range: [0, 2000], pairs: { from: 'Level, cm', to: 'Litres' }, source: 'straight between the rows of its table, held at its ends' },
    compute: (given) => (given.pairs.length < 2 || !(at(given, 0) >= 0) ? null : strappingLitres(given.pairs, at(given, 0))),
  }),
  formula({
    ...{ id: 'plant-available', title: 'Water that plants can take', group: 'water', inputs: [SOIL], unit: () => '%', decimals: 0 },
    ...{ range: [0, 100], source: 'share between wilting point (0) and field capacity (100) of its soil: FAO-56, table 19' },
    parameters: [
      parameter('capacity', 'Field capacity, by volume', '%', 25, 1, 60),
      parameter('wilting', 'Wilting point, by volume', '%', 12, 0, 59),
    ],
    presets: {
      label: 'Soil',
      choices: SOIL_TEXTURES.map(({ name, fieldCapacity, wiltingPoint }) => ({
        name,
        figures: { capacity: middleOf(fieldCapacity), wilting: middleOf(wiltingPoint) },
      })),
    },
    compute: (given) => {
      const share = plantAvailableShare(at(given, 0), of(given, 'capacity'), of(given, 'wilting'));
      return share === null ? null : share * 100;
    },
  }),
  formula({
    ...{ id: 'share-of-full', title: 'Percent of full', group: 'water', inputs: [ANY], unit: () => '%', decimals: 0, range: [0, 100] },
    parameters: [parameter('full', 'Full is', '', 1000, 1e-6, 1e9)],
    source: 'the value as a share of what full is',
    compute: (given) => (at(given, 0) / of(given, 'full')) * 100,
  }),
];
