import * as air from '../src/air';
import * as alarm from '../src/alarm';
import { poweredUp, stepOutput, type OutputGuards, type OutputReason } from '../src/control';
import { isSenmlName, resolveSenml } from '../src/wire';

/** Answers one entry's inputs in the entry's own units. */
export type Adapter = (inputs: Record<string, unknown>) => unknown;

const numbers =
  (f: (...values: number[]) => unknown, ...names: string[]): Adapter =>
  (inputs) =>
    f(...names.map((name) => inputs[name] as number));

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
  chattering: (i) => alarm.isChattering((i['times'] as number[]).map((t) => t * 1000), i['count'] as number, (i['window'] as number) * 1000),
  peak_10min: (i) => alarm.peakRate((i['times'] as number[]).map((t) => t * 1000)),
  pct_of_span: numbers(alarm.percentOfSpan, 'pct', 'lo', 'hi'),
  relay_seq: relaySequence,
  senml: (i) => resolveSenml(i['pack']).records,
  senml_name_ok: (i) => isSenmlName(i['name'] as string),
};

/** Where the core deliberately differs: `fn` → why. Such entries count as not covered. */
export const DELIBERATE: Record<string, string> = {};
