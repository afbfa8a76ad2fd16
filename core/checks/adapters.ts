import * as air from '../src/air';
import * as circuit from '../src/circuit';
import * as network from '../src/network';
import * as power from '../src/power';
import * as quantity from '../src/quantity';
import * as radio from '../src/radio';
import * as calibration from '../src/calibration';
import * as series from '../src/series';
import * as traffic from '../src/traffic';
import * as alarm from '../src/alarm';
import { poweredUp, stepOutput, type OutputGuards, type OutputReason } from '../src/control';
import { isSenmlName, resolveSenml } from '../src/wire';
import { numbers, type Adapter } from './adapter';
import { OF_NATURE } from './of-nature';

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

  ...OF_NATURE,

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
