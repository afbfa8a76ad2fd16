import * as air from '../src/air';
import * as alarm from '../src/alarm';
import * as calibration from '../src/calibration';
import * as control from '../src/control';
import * as pressure from '../src/pressure';
import * as sensors from '../src/sensors';
import * as statistics from '../src/statistics';
import { numbers, type Adapter } from './adapter';
import { ANSCOMBE, ELEVEN, NIST_CHART, NIST_SMOOTHING, NORRIS, SLEEP, TWELVE } from './datasets';

const bytesOf = (text: unknown): Uint8Array => Uint8Array.from((text as string).match(/../g) ?? [], (pair) => parseInt(pair, 16));
const byte = (value: number): string => value.toString(16).toUpperCase().padStart(2, '0');
const day = (i: Record<string, unknown>): air.DayExtremes => ({
  highest: i['tmax'] as number,
  lowest: i['tmin'] as number,
  mostPercent: i['rhmax'] as number,
  leastPercent: i['rhmin'] as number,
});

function eleven(i: Record<string, unknown>): number {
  const divide = i['division'] === 'trunc' ? Math.trunc : Math.floor;
  const all = sensors.elevenCompensated(ELEVEN, i['UT'] as number, i['UP'] as number, i['oss'] as 0, divide);
  const named = { T: all.tenthsCelsius, p: all.pascals, X1_T: all.x1, X2_T: all.x2, B5: all.b5, B6: all.b6, B3: all.b3, B4: all.b4 };
  return { ...named, p_first: all.first }[i['field'] as 'p'];
}
function twelve(i: Record<string, unknown>): number | null {
  const fine = sensors.fineTemperature(TWELVE, i['adc_T'] as number);
  if (i['field'] === 't_fine') return fine;
  if (i['field'] === 'T') return sensors.twelveCelsius(TWELVE, i['adc_T'] as number);
  return sensors.twelvePascals(TWELVE, i['truncate_t_fine'] === true ? Math.trunc(fine) : fine, i['adc_P'] as number);
}
const frame =
  (read: (bytes: Uint8Array) => sensors.AirFrame | null): Adapter =>
  (i) => {
    const said = read(bytesOf(i['hex']));
    return said && [said.percent, said.celsius, said.sumRight];
  };
const curve = (i: Record<string, unknown>): sensors.SteinhartHart =>
  sensors.steinhartHartFrom(i['points'] as [number, number][]) ?? { a: NaN, b: NaN, c: NaN };

const rowsOf = (name: unknown): readonly (readonly [number, number])[] => (name === 'norris' ? NORRIS : (ANSCOMBE[name as string] ?? []));
function regression(i: Record<string, unknown>): number {
  const points = rowsOf(i['dataset']).map(([x, y]) => ({ x, y }));
  const { slope, intercept, s, seSlope, seIntercept } = calibration.leastSquares(points);
  const sse = s * s * (points.length - 2);
  return { slope, intercept, s, se_slope: seSlope, se_intercept: seIntercept, sse }[i['stat'] as 's'];
}
const plant = (i: Record<string, unknown>): control.FirstOrderPlant => ({
  tau: i['tau'] as number,
  on: (i['t_inf_on'] ?? Infinity) as number,
  off: (i['t_inf_off'] ?? -Infinity) as number,
});
const cycle = (i: Record<string, unknown>): control.SwitchingCycle | null =>
  control.switchingCycle(plant(i), i['lo'] as number, i['hi'] as number);

/** Air and its pressure, sensors, statistics, plants that are switched. */
export const OF_NATURE: Readonly<Record<string, Adapter>> = {
  psat_if97: numbers(air.industrialSaturationMegapascals, 'T'),
  fao_es_mean: numbers(air.meanSaturationKilopascals, 'tmax', 'tmin'),
  fao_ea_psychro: numbers(air.psychrometerKilopascals, 'tdry', 'twet', 'z'),
  fao_ea_rhmaxmin: (i) => air.dayVapourKilopascals(day(i)),
  fao_vpd_rhmaxmin: (i) => air.dayDeficitKilopascals(day(i)),
  wetbulb_stull: numbers(air.wetBulbStullCelsius, 't', 'rh'),
  wetbulb_wmo: numbers(air.wetBulbCelsius, 't', 'rh', 'p'),
  heat_index_f: numbers(air.heatIndexFahrenheit, 't', 'rh'),
  heat_index_c: numbers(air.heatIndexCelsius, 't', 'rh'),
  condensation_margin: numbers(air.condensationMarginKelvin, 't', 'rh', 'tsurf'),
  surface_rh: numbers(air.surfaceHumidityPercent, 't', 'rh', 'tsurf'),
  mould_limit_surface_temp: numbers(air.warmestSurfaceNeededCelsius, 't', 'rh', 'limit_rh'),
  f_rsi: numbers(air.temperatureFactor, 'tsi', 'ti', 'te'),

  isa_pressure: numbers(pressure.standardPressureHectopascals, 'h'),
  isa_pressure_geometric: (i) => pressure.standardPressureHectopascals(pressure.geopotentialMetres(i['z'] as number)),
  isa_temperature: numbers(pressure.standardCelsius, 'h'),
  isa_density: numbers(pressure.standardDensity, 'h'),
  isa_altitude: numbers(pressure.pressureAltitudeMetres, 'p'),
  qnh_isa: numbers(pressure.qnhHectopascals, 'p', 'h'),
  qnh_nws: numbers(pressure.altimeterSettingHectopascals, 'p', 'h'),
  slp_psychrolib: numbers(pressure.textbookSeaLevelPascals, 'p', 'h', 't'),
  qff_wmo: numbers(pressure.qffHectopascals, 'p', 'h', 't', 'es'),
  bmp_altitude: numbers(pressure.datasheetMetres, 'p', 'p0'),
  bmp_sea_level: numbers(pressure.datasheetSeaLevelHectopascals, 'p', 'h'),
  metres_per_hpa: numbers(pressure.metresPerHectopascal, 'p', 't'),
  fao_pressure: numbers(pressure.faoPressureKilopascals, 'z'),
  ashrae_pressure: numbers(pressure.ashraePressurePascals, 'z'),

  ds18b20_c: (i) => sensors.thermometerCelsius(parseInt(i['code'] as string, 16)),
  bmp180_field: eleven,
  bmp280_double: twelve,
  bmp280_int64: (i) => {
    const whole = sensors.twelveWhole(TWELVE, i['adc_T'] as number, i['adc_P'] as number);
    return i['field'] === 'T' ? whole.celsius : whole.pascals256;
  },
  crc8_31: (i) => byte(sensors.crc8Of31(bytesOf(i['hex']), i['init'] as number)),
  crc8_maxim: (i) => byte(sensors.crc8OneWire(bytesOf(i['hex']))),
  crc16_modbus: (i) => sensors.crc16Modbus(bytesOf(i['hex'])).toString(16).toUpperCase().padStart(4, '0'),
  dht22: frame(sensors.airFrameInTenths),
  dht11: frame(sensors.airFrameInBytes),
  sht3x_t: numbers(sensors.airWordCelsius, 'raw'),
  adc16_lsb_uv: (i) => sensors.converterStepVolts(i['fs'] as number, 16) * 1e6,
  adc12_lsb_mv: (i) => sensors.converterStepVolts(i['fs'] as number, 12) * 1e3,
  adc16_volts: (i) => sensors.signedSixteenVolts(parseInt(i['code'] as string, 16), i['fs'] as number),
  ntc_beta_r: numbers(sensors.thermistorOhms, 't', 'r25', 'beta'),
  ntc_beta_t: numbers(sensors.thermistorCelsius, 'r', 'r25', 'beta'),
  beta_from_two: numbers(sensors.betaFrom, 't1', 'r1', 't2', 'r2'),
  steinhart_coeff: (i) => curve(i)[(i['which'] as string).toLowerCase() as 'a'],
  steinhart_t_fit: (i) => sensors.steinhartHartCelsius(i['r'] as number, curve(i)),
  steinhart_t: (i) => sensors.steinhartHartCelsius(i['r'] as number, { a: i['A'] as number, b: i['B'] as number, c: i['C'] as number }),
  pt100_r: (i) => sensors.platinumOhms(i['t'] as number),
  pt100_t: (i) => sensors.platinumCelsius(i['r'] as number),
  pt100_tol_a: numbers(sensors.classAToleranceKelvin, 't'),
  sound_speed: numbers(sensors.soundMetresPerSecond, 't'),
  echo_distance_m: numbers(sensors.echoMetres, 'us', 't'),
  echo_us: numbers(sensors.echoMicroseconds, 'd', 't'),
  sender_ohms: numbers(sensors.senderOhms, 'v', 'vref', 'rpull'),
  sender_volts: numbers(sensors.senderVolts, 'r', 'vref', 'rpull'),
  lin_map: (i) => sensors.lineThrough(i['x'] as number, [i['x0'] as number, i['y0'] as number], [i['x1'] as number, i['y1'] as number]),
  bridge_counts: numbers(sensors.bridgeCounts, 'mv', 'vexc', 'gain'),
  load_kg: numbers(sensors.scaleReading, 'raw', 'tare', 'raw_cal', 'cal_kg'),
  topp: numbers(sensors.soilWaterFraction, 'ka'),
  available_water_fraction: numbers(sensors.plantAvailableShare, 'theta', 'fc', 'wp'),

  lttb_indices: (i) => statistics.largestTriangles(i['points'] as [number, number][], i['threshold'] as number),
  minmax_indices: (i) => statistics.extremePlaces(i['values'] as number[], i['bucket'] as number),
  stuck_flag: (i) => statistics.isStuck(i['values'] as number[], i['min_span'] as number),
  ols_stat: regression,
  prediction: (i) => {
    const { slope, intercept } = calibration.leastSquares(rowsOf(i['dataset']).map(([x, y]) => ({ x, y })));
    return intercept + slope * (i['x0'] as number);
  },
  prediction_half_width: (i) => {
    const rows = rowsOf(i['dataset']);
    const { s } = calibration.leastSquares(rows.map(([x, y]) => ({ x, y })));
    return statistics.predictionHalfWidth(
      rows.map(([x]) => x),
      s,
      i['x0'] as number,
      i['conf'] as number,
    );
  },
  t_crit: numbers(statistics.studentCritical, 'conf', 'df'),
  nist_ses: (i) => statistics.exponential(NIST_SMOOTHING.slice(1), i['alpha'] as number, NIST_SMOOTHING[0] ?? NaN)[(i['t'] as number) - 3],
  nist_ewma: (i) => statistics.exponential(NIST_CHART, i['lam'] as number, i['start'] as number)[(i['t'] as number) - 1],
  ewma_limit: (i) =>
    statistics.smoothedLimits(i['mu'] as number, i['sigma'] as number, i['lam'] as number, i['k'] as number)[i['side'] === 'upper' ? 1 : 0],
  ewma_limit_t: (i) =>
    statistics.smoothedLimits(i['mu'] as number, i['sigma'] as number, i['lam'] as number, i['k'] as number, i['t'] as number)[1],
  ema_alpha: numbers(statistics.alphaOf, 'dt', 'tau'),
  sleep_welch: (i) => {
    const { t, freedom, p } = statistics.welch(SLEEP.a, SLEEP.b);
    return { t, df: freedom, p }[i['stat'] as 't'];
  },
  sleep_paired: (i) => {
    const all = statistics.paired(SLEEP.a, SLEEP.b);
    return all && { t: all.t, p: all.p, sd: all.sd, loa_low: all.agreement[0], loa_high: all.agreement[1] }[i['stat'] as 't'];
  },
  brier: (i) => statistics.brier(i['forecast'] as number[], i['outcome'] as number[]),
  brier_skill: (i) => statistics.brierSkill(i['forecast'] as number[], i['outcome'] as number[]),
  percentile_r7: (i) => statistics.percentile(i['values'] as number[], i['p'] as number),

  per_day: numbers(alarm.perDay, 'per_10min'),
  rc_t_on: (i) => cycle(i)?.onSeconds,
  rc_t_off: (i) => cycle(i)?.offSeconds,
  rc_duty: (i) => cycle(i)?.duty,
  rc_period_smallband: (i) => control.smallBandPeriodSeconds(plant(i), i['mid'] as number, i['db'] as number),
  rc_min_period: (i) => control.shortestPeriodSeconds(i['tau'] as number, i['rise'] as number, i['db'] as number).small,
  rc_min_period_exact: (i) => control.shortestPeriodSeconds(i['tau'] as number, i['rise'] as number, i['db'] as number).exact,
  cycles_per_day: numbers(control.cyclesPerDay, 'period_s'),
  rc_deadband_for_min_on: numbers(control.movedWithin, 'tau', 'rise_above', 'min_on'),
  relay_years: numbers(control.contactYears, 'ops', 'cycles_per_day'),
};
