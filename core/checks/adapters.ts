import * as air from '../src/air';
import * as circuit from '../src/circuit';
import * as network from '../src/network';
import * as power from '../src/power';
import * as quantity from '../src/quantity';
import * as radio from '../src/radio';
import * as calibration from '../src/calibration';
import * as pressure from '../src/pressure';
import * as sensors from '../src/sensors';
import * as series from '../src/series';
import * as statistics from '../src/statistics';
import * as traffic from '../src/traffic';
import * as alarm from '../src/alarm';
import * as control from '../src/control';
import { poweredUp, stepOutput, type OutputGuards, type OutputReason } from '../src/control';
import { isSenmlName, resolveSenml } from '../src/wire';
import { ANSCOMBE, ELEVEN, NIST_CHART, NIST_SMOOTHING, NORRIS, SLEEP, TWELVE } from './datasets';

/** Answers one entry's inputs in the entry's own units. */
export type Adapter = (inputs: Record<string, unknown>) => unknown;

const numbers =
  (f: (...values: number[]) => unknown, ...names: string[]): Adapter =>
  (inputs) =>
    f(...names.map((name) => inputs[name] as number));

const times =
  (factor: number): Adapter =>
  (inputs) =>
    (inputs['x'] as number) * factor;

const hex = (bytes: readonly number[]): string => bytes.map((byte) => byte.toString(16).toUpperCase().padStart(2, '0')).join(' ');

interface AlarmConfig {
  type: 'HIGH' | 'LOW';
  sp: number;
  db: number;
  onDelay: number;
  offDelay: number;
  maxGap: number;
  clear?: number;
}

const PHASE_NAME = { normal: 'NORMAL', 'pending-on': 'PENDING_ON', active: 'ACTIVE', 'pending-off': 'PENDING_OFF' } as const;
const REJECTION_NAME = { bad: 'REJECT_BAD', future: 'REJECT_FUTURE', 'out-of-order': 'REJECT_OUT_OF_ORDER' } as const;

function alarmSequence(inputs: Record<string, unknown>): string[] {
  const config = inputs['config'] as AlarmConfig;
  const rule: alarm.ThresholdRule = {
    side: config.type === 'HIGH' ? 'high' : 'low',
    setpoint: config.sp,
    deadband: config.db,
    clearLevel: config.clear,
    onDelayMs: config.onDelay * 1000,
    offDelayMs: config.offDelay * 1000,
    maxGapMs: config.maxGap * 1000,
    confirm: 'readings',
  };
  let state = alarm.INITIAL_THRESHOLD_STATE;
  return (inputs['readings'] as [number, number | 'NaN', number?][]).map(([ts, value, arrival]) => {
    const step = alarm.stepThreshold(rule, state, {
      kind: 'reading',
      at: ts * 1000,
      value: Number(value),
      quality: 'good',
      arrivedAt: arrival === undefined ? undefined : arrival * 1000,
    });
    state = step.state;
    if (step.rejected) return REJECTION_NAME[step.rejected];
    return PHASE_NAME[state.phase] + (step.transitions.length > 0 ? '*' : '');
  });
}

const OUTPUT_REASON_NAME: Partial<Record<OutputReason, string>> = { lease: 'watchdog' };

function relaySequence(inputs: Record<string, unknown>): [number, number, string][] {
  const config = inputs['config'] as Record<'minOn' | 'minOff' | 'maxRun' | 'restAfterMaxRun' | 'dailyCap' | 'watchdog', number>;
  const guards: OutputGuards = {
    minOnMs: config.minOn * 1000,
    minOffMs: config.minOff * 1000,
    maxRunMs: config.maxRun * 1000,
    restMs: config.restAfterMaxRun * 1000,
    dailyCapMs: config.dailyCap * 1000,
  };
  let state = poweredUp(0);
  return (inputs['ticks'] as [number, number, number, number][]).map(([t, demand, interlockOk, age]) => {
    state = stepOutput(guards, state, {
      at: t * 1000,
      demand: demand === 1,
      interlockOk: interlockOk === 1,
      commandAgeMs: age * 1000,
      leaseMs: config.watchdog * 1000,
    });
    return [t, Number(state.on), OUTPUT_REASON_NAME[state.reason] ?? state.reason];
  });
}

function acknowledgements(inputs: Record<string, unknown>): string {
  let state: alarm.AcknowledgementState = 'A';
  return (inputs['events'] as alarm.AcknowledgementEvent[])
    .map((event) => (state = alarm.stepAcknowledgement(inputs['latching'] === true, state, event)))
    .join(' ');
}

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

/** The one table from an entry's `fn` to what the core answers. */
export const ADAPTERS: Record<string, Adapter> = {
  es_wmo_water: numbers(air.saturationOverWaterHectopascals, 't'),
  es_wmo_ice: numbers(air.saturationOverIceHectopascals, 't'),
  es_ae_water: numbers(air.alduchovEskridgeWaterHectopascals, 't'),
  es_ae_ice: numbers(air.alduchovEskridgeIceHectopascals, 't'),
  es_fao: numbers(air.faoSaturationKilopascals, 't'),
  es_ashrae: numbers(air.hylandWexlerPascals, 't'),
  es_sonntag_water: numbers(air.sonntagWaterHectopascals, 't'),
  wmo_enhancement: numbers(air.enhancementFactor, 'p'),
  dewpoint: numbers(air.dewPointCelsius, 't', 'rh'),
  frostpoint: numbers(air.frostPointCelsius, 't', 'rh'),
  abs_humidity: numbers(air.absoluteHumidityGramsPerCubicMetre, 't', 'rh'),
  mixing_ratio: numbers(air.mixingRatioGramsPerKilogram, 't', 'rh', 'p'),
  vpd: numbers(air.vapourPressureDeficitKilopascals, 't', 'rh'),
  alarm_seq: alarmSequence,
  ack_sequence: acknowledgements,
  chattering: (i) =>
    alarm.isChattering(
      (i['times'] as number[]).map((t) => t * 1000),
      i['count'] as number,
      (i['window'] as number) * 1000,
    ),
  peak_10min: (i) => alarm.peakRate((i['times'] as number[]).map((t) => t * 1000)),
  pct_of_span: numbers(alarm.percentOfSpan, 'pct', 'lo', 'hi'),
  relay_seq: relaySequence,
  senml: (i) => resolveSenml(i['pack']).records,
  senml_name_ok: (i) => isSenmlName(i['name'] as string),

  divider_out: numbers(circuit.dividerVolts, 'vin', 'r1', 'r2'),
  divider_full_scale: numbers(circuit.dividerInputFor, 'vfs', 'r1', 'r2'),
  divider_ua: numbers(circuit.dividerMicroamps, 'vin', 'r1', 'r2'),
  parallel: numbers(circuit.parallelOhms, 'r1', 'r2'),
  loading_error_pct: numbers(circuit.loadingErrorPercent, 'r1', 'r2', 'rin'),
  divider_tol_pct: numbers(circuit.dividerToleranceErrorPercent, 'r1', 'r2', 'tol_pct'),
  adc_lsb_mv: numbers(circuit.lsbMillivolts, 'vfs', 'bits'),
  nearest_e: (i) => circuit.nearestPreferred(i['value'] as number, i['series'] as circuit.Series),
  e96_value: numbers(circuit.e96Value, 'k'),
  i2c_rp_max: numbers(circuit.i2cPullUpMaxOhms, 'tr_ns', 'cb_pf'),
  i2c_rp_min: numbers(circuit.i2cPullUpMinOhms, 'vdd', 'vol', 'iol_ma'),
  coil_ma: numbers(circuit.coilMilliamps, 'v', 'r'),
  base_resistor: numbers(circuit.baseResistorOhms, 'vdrive', 'vbe', 'icoil_ma', 'forced_beta'),
  pullup_ua: numbers(circuit.pullUpMicroamps, 'v', 'r'),

  avg_current_ma: (i) =>
    power.averageMilliamps((i['states'] as [number, number][]).map(([milliamps, seconds]) => ({ milliamps, seconds }))),
  battery_days: numbers(power.batteryDays, 'capacity_mah', 'usable_fraction', 'load_ma', 'self_discharge_per_year'),
  timer_r_ohm: numbers(power.timerResistorOhms, 'T'),
  timer_seconds: numbers(power.timerSeconds, 'r', 'set'),
  solar_wh_day: numbers(power.panelWattHours, 'wp', 'psh', 'eff'),
  solar_wp_needed: numbers(power.panelNeededWatts, 'load_wh', 'psh', 'eff', 'margin'),
  autonomy_days: numbers(power.autonomyDays, 'batt_wh', 'dod', 'load_wh_day'),
  day_of_year: (i) => power.dayOfYear(i['date'] as string),
  fao_dr: numbers(power.inverseSunDistance, 'J'),
  fao_decl: numbers(power.declinationRadians, 'J'),
  fao_ws: numbers(power.sunsetHourAngle, 'lat', 'J'),
  fao_daylight: numbers(power.daylightHours, 'lat', 'J'),
  fao_ra: numbers(power.extraterrestrialMegajoules, 'lat', 'J'),
  fao_rs: numbers(power.radiationFromSunshine, 'ra', 'n', 'N'),
  hargreaves_rs: numbers(power.radiationFromTemperatures, 'tmax', 'tmin', 'ra', 'krs'),
  mj_to_peak_sun_hours: numbers(power.peakSunHours, 'mj'),

  fspl: numbers(radio.freeSpaceLossDb, 'f_mhz', 'd_m'),
  fspl_p525: numbers(radio.freeSpaceLossRoundedDb, 'f_mhz', 'd_m'),
  p1238: numbers(radio.siteGeneralLossDb, 'f_mhz', 'd_m', 'N', 'floor_db'),
  cost231_floor: numbers(radio.floorLossDb, 'k', 'lf', 'b'),
  wifi_freq: (i) => radio.channelMegahertz(i['band'] as 2.4, i['ch'] as number),
  ofdm_rate: numbers(radio.ofdmMegabits, 'n_sd', 'bits', 'code', 't_us'),
  mw_to_dbm: numbers(radio.milliwattsToDbm, 'mw'),
  link_rssi: numbers(radio.receivedDbm, 'ptx', 'gtx', 'grx', 'loss'),
  thermal_noise_dbm: numbers(radio.thermalNoiseDbm, 'bw_hz', 'nf'),
  shadow_outage: numbers(radio.shadowingOutage, 'margin', 'sigma'),
  margin_for_outage: numbers(radio.marginForOutage, 'outage', 'sigma'),
  rayleigh_outage: numbers(radio.rayleighOutage, 'margin'),
  burst_delivery: numbers(radio.burstDelivery, 'p_loss', 'n'),
  burst_needed: numbers(radio.sendsForDelivery, 'p_loss', 'target'),
  fresnel1: numbers(radio.fresnelRadiusMetres, 'd1_m', 'd2_m', 'f_mhz'),
  wavelength_mm: numbers(radio.wavelengthMillimetres, 'f_mhz'),
  dish_gain: numbers(radio.dishGainDbi, 'd_m', 'f_mhz', 'eff'),
  beam_gain: numbers(radio.beamGainDbi, 'th_e', 'th_h', 'k'),

  wpa_psk: (i) => network.presharedKey(i['passphrase'] as string, i['ssid'] as string),
  ssid_valid: (i) => network.isNetworkName(i['ssid'] as string),
  ssid_octets: (i) => network.nameOctets(i['ssid'] as string),
  wpa_secret_valid: (i) => network.isNetworkSecret(i['secret'] as string),
  cidr_addresses: numbers(network.blockSize, 'prefix'),
  cidr_usable: numbers(network.usableHosts, 'prefix'),
  cidr_netmask: numbers(network.netmaskOf, 'prefix'),
  cidr_network: (i) => network.networkAddress(i['ip'] as string, i['prefix'] as number),
  cidr_broadcast: (i) => network.broadcastAddress(i['ip'] as string, i['prefix'] as number),
  ipv4_rfc1918: (i) => network.isPrivate(i['ip'] as string),
  ipv4_int: (i) => network.ipv4ToNumber(i['ip'] as string),
  pool_size: (i) => network.poolSize(i['first'] as string, i['last'] as string),
  wifi_qr: (i) =>
    network.joinCodeText({
      name: i['ssid'] as string,
      secret: i['password'] as string | null,
      kind: i['auth'] as 'WPA' | null,
      hidden: i['hidden'] === true,
    }),

  mqtt_match: (i) => traffic.filterMatches(i['filter'] as string, i['topic'] as string),
  mqtt_filter_valid: (i) => traffic.isTopicFilter(i['filter'] as string),
  mqtt_topic_valid: (i) => traffic.isTopicName(i['topic'] as string),
  mqtt_remlen: (i) => hex(traffic.remainingLength(i['n'] as number)),
  mqtt_string: (i) => hex(traffic.mqttString(i['s'] as string)),
  mqtt_publish_bytes: (i) =>
    traffic.publishBytes(i['topic_len'] as number, i['payload_len'] as number, i['qos'] as 0, i['v5_props'] as number | null),
  wire_bytes: (i) => traffic.wireBytes(i['app_bytes'] as number, i['tls_overhead'] as number, i['tcp_ts'] === true),
  rfc3339_epoch: (i) => quantity.rfc3339Seconds(i['s'] as string),
  iso_week: (i) => quantity.isoWeekDate(i['date'] as string),

  rows_per_day: numbers(traffic.rowsPerDay, 'interval_s', 'metrics', 'nodes'),
  pg_tuple_bytes: numbers(traffic.heapRowBytes, 'data_bytes'),
  pg_rows_per_page: numbers(traffic.rowsPerPage, 'data_bytes'),
  pg_mb_per_year: numbers(traffic.heapMegabytesPerYear, 'interval_s', 'metrics', 'nodes', 'data_bytes'),
  btree_leaf_entries: numbers(traffic.leafEntries, 'key_bytes', 'fillfactor'),
  cellular_mb_month: numbers(traffic.cellularMegabytes, 'bytes_per_msg', 'interval_s', 'days'),

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

  mad_constant: () => series.MAD_TO_SIGMA,
  mad: (i) => series.medianDeviation(i['values'] as number[]),
  robust_z: (i) => series.robustDistance(i['values'] as number[], i['x'] as number),
  modified_z: (i) =>
    (0.6745 * ((i['x'] as number) - series.median(i['values'] as number[]))) / series.medianDeviation(i['values'] as number[]),
  hampel_flags: (i) => series.hampelOutliers(i['values'] as number[], i['half'] as number, i['k'] as number),

  hcyl_fraction: numbers(calibration.lyingCylinderShare, 'h_over_d'),
  hcyl_litres: numbers(calibration.lyingCylinderLitres, 'd', 'length', 'h'),
  vcyl_litres: numbers(calibration.standingCylinderLitres, 'd', 'h'),
  rect_litres: numbers(calibration.boxLitres, 'a', 'b', 'h'),
  cone_bottom_litres: numbers(calibration.coneBottomLitres, 'd', 'cone_h', 'h'),
  cap_litres: numbers(calibration.sphericalCapLitres, 'R', 'h'),
  sphere_fraction: numbers(calibration.sphereShare, 'h_over_d'),
  strapping: (i) => calibration.strappingLitres(i['table'] as [number, number][], i['level'] as number),
  hydrostatic_level: numbers(calibration.hydrostaticLevelMetres, 'p_kpa', 'rho'),
  level_from_distance: numbers(calibration.levelBelowSensorMetres, 'sensor_height', 'distance'),

  c_to_f: numbers(quantity.celsiusToFahrenheit, 'c'),
  f_to_c: numbers(quantity.fahrenheitToCelsius, 'f'),
  inhg_to_hpa: times(quantity.FACTORS.inHgToHectopascals),
  hpa_to_inhg: times(1 / quantity.FACTORS.inHgToHectopascals),
  mmhg_to_hpa: times(quantity.FACTORS.mmHgToHectopascals),
  usgal_to_l: times(quantity.FACTORS.usGallonsToLitres),
  impgal_to_l: times(quantity.FACTORS.imperialGallonsToLitres),
  psi_to_kpa: times(quantity.FACTORS.psiToKilopascals),
  ft_to_m: times(quantity.FACTORS.feetToMetres),
  inch_to_mm: times(quantity.FACTORS.inchesToMillimetres),
  mph_to_ms: times(quantity.FACTORS.milesPerHourToMetresPerSecond),
  knot_to_ms: times(quantity.FACTORS.knotsToMetresPerSecond),
  footcandle_to_lux: times(quantity.FACTORS.footCandlesToLux),
  mj_day_to_wm2: times(quantity.FACTORS.megajoulesPerDayToWatts),
  round_half_away: numbers(quantity.roundHalfAway, 'x', 'd'),
  round_half_even: numbers(quantity.roundHalfEven, 'x', 'd'),
};

/** Where the core deliberately differs: `fn` → why. Such entries count as not covered. */
export const DELIBERATE: Record<string, string> = {};
