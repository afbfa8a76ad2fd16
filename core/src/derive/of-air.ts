import * as air from '../air';
import { qffHectopascals, qnhHectopascals } from '../pressure';
import type { Formula } from './formula';
import { at, formula, HUMIDITY, of, parameter, PRESSURE, SURFACE, TEMPERATURE } from './make';

const ofAir = (
  id: string,
  title: string,
  unit: string,
  range: readonly [number, number],
  source: string,
  compute: (celsius: number, percent: number) => number | null,
): Formula =>
  formula({
    ...{ id, title, group: 'air', inputs: [TEMPERATURE, HUMIDITY], unit: () => unit, decimals: 1, range, source },
    compute: (given) => compute(at(given, 0), at(given, 1)),
  });

/** Formulas of air and its pressure. */
export const OF_AIR: readonly Formula[] = [
  ofAir('dew-point', 'Dew point', '°C', [-20, 30], 'WMO-No. 8, Part I ch. 4: Magnus form over water', air.dewPointCelsius),
  ofAir('frost-point', 'Frost point', '°C', [-40, 0], 'WMO-No. 8, Part I ch. 4: Magnus form over ice', air.frostPointCelsius),
  ofAir(
    'absolute-humidity',
    'Absolute humidity',
    'g/m³',
    [0, 30],
    'ideal gas, vapour pressure by WMO-No. 8',
    air.absoluteHumidityGramsPerCubicMetre,
  ),
  ofAir('vapour-deficit', 'Vapour pressure deficit', 'kPa', [0, 5], 'FAO-56 eq. 11', air.vapourPressureDeficitKilopascals),
  ofAir(
    'heat-index',
    'Heat index',
    '°C',
    [0, 60],
    'NWS: Rothfusz regression with its adjustments; in the shade, light wind',
    air.heatIndexCelsius,
  ),
  formula({
    ...{ id: 'wet-bulb', title: 'Wet bulb temperature', group: 'air', inputs: [TEMPERATURE, HUMIDITY], unit: () => '°C', decimals: 1 },
    ...{ range: [-10, 35], source: 'WMO-No. 8: the psychrometer formula, solved' },
    parameters: [parameter('pressure', 'Air pressure here', 'hPa', 1013, 500, 1100)],
    compute: (given) => air.wetBulbCelsius(at(given, 0), at(given, 1), of(given, 'pressure')),
  }),
  formula({
    ...{ id: 'condensation-margin', title: 'Condensation margin', group: 'air', inputs: [TEMPERATURE, HUMIDITY, SURFACE] },
    ...{ unit: () => 'K', decimals: 1, range: [-5, 15], source: 'surface less dew point (WMO-No. 8); at 0 and below it is wet' },
    compute: (given) => air.condensationMarginKelvin(at(given, 0), at(given, 1), at(given, 2)),
  }),
  formula({
    ...{ id: 'surface-humidity', title: 'Humidity at a surface', group: 'air', inputs: [TEMPERATURE, HUMIDITY, SURFACE] },
    ...{ unit: () => '%', decimals: 1, range: [0, 120], source: 'WMO-No. 8; ISO 13788 has 80 % over a month against mould' },
    compute: (given) => air.surfaceHumidityPercent(at(given, 0), at(given, 1), at(given, 2)),
  }),
  formula({
    ...{ id: 'sea-level-pressure', title: 'Pressure at sea level', group: 'pressure', inputs: [PRESSURE], unit: () => 'hPa', decimals: 1 },
    ...{ range: [960, 1050], source: 'QNH, by the standard atmosphere (ICAO Doc 7488)' },
    parameters: [parameter('height', 'Height above the sea', 'm', 100, -400, 5000)],
    compute: (given) => qnhHectopascals(at(given, 0), of(given, 'height')),
  }),
  formula({
    ...{ id: 'sea-level-pressure-by-air', title: 'Pressure at sea level, by the air outside', group: 'pressure' },
    ...{ inputs: [PRESSURE, { ...TEMPERATURE, label: 'Temperature outside' }, { ...HUMIDITY, label: 'Humidity outside' }] },
    ...{
      unit: () => 'hPa',
      decimals: 1,
      range: [960, 1050],
      source: 'QFF (WMO-No. 8, Part I ch. 3); never with a temperature from indoors',
    },
    parameters: [parameter('height', 'Height above the sea', 'm', 100, -400, 750)],
    compute: (given) => {
      const vapour = air.vapourPressureHectopascals(at(given, 1), at(given, 2));
      return vapour === null ? null : qffHectopascals(at(given, 0), of(given, 'height'), at(given, 1), vapour);
    },
  }),
  formula({
    ...{
      id: 'pressure-tendency',
      title: 'Pressure tendency over 3 h',
      group: 'pressure',
      inputs: [PRESSURE],
      unit: () => 'hPa',
      decimals: 1,
    },
    ...{ range: [-6, 6], source: 'station pressure now less three hours before (WMO)', window: { kind: 'seconds', seconds: 3 * 3600 } },
    compute: ({ window, begins }) => {
      const [first, last] = [window[0], window.at(-1)];
      // Three hours, or it is another figure: a tenth of them may be missing at the begin.
      return first && last && first.at - begins <= 18 * 60_000 ? last.value - first.value : null;
    },
  }),
];
