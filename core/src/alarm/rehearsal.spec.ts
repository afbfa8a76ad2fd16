import fc from 'fast-check';
import {
  forRecord,
  INITIAL_THRESHOLD_STATE,
  noiseOf,
  quantile,
  rehearsalFigures,
  rehearse as rehearseColumns,
  stepThreshold,
  suggest as suggestFrom,
  traitsOf,
  columnsOf,
  usualGapMs,
  type Sample,
  type ThresholdRule,
} from './index';

const S = 1000;
const rehearse = (rule: ThresholdRule, samples: readonly Sample[], until: number) => rehearseColumns(rule, columnsOf(samples), until);
const suggest = (
  side: 'high' | 'low',
  rule: ThresholdRule | null,
  samples: readonly Sample[],
  ...rest: [from: number, until: number, decimals: number]
) => {
  const columns = columnsOf(samples);
  return suggestFrom(side, rule, { columns, traits: traitsOf(columns) }, ...rest);
};
const RULE: ThresholdRule = {
  side: 'high',
  setpoint: 30,
  deadband: 1,
  onDelayMs: 0,
  offDelayMs: 0,
  maxGapMs: 600 * S,
  confirm: 'readings',
};
const record = (...values: number[]): Sample[] => values.map((value, i) => ({ at: i * 60 * S, value, quality: 'good' }));

describe('a rule over a record', () => {
  it('trips and clears where the engine does: sequence S1 of the check values', () => {
    // 9.3-01: at the setpoint it trips, inside the deadband it stays, at the clear level it clears.
    expect(rehearse(RULE, record(29.99, 30, 29.5, 29.01, 29, 29.5, 30), 400 * S)).toEqual([
      { from: 60 * S, to: 240 * S },
      { from: 360 * S, to: null },
    ]);
  });

  it('on-delays and gaps count as they do live; what is bad is passed over, and a contact holds to the end of the record', () => {
    const delayed = { ...RULE, onDelayMs: 120 * S };
    expect(rehearse(delayed, record(31, 29.9, 30, 30.2, 30.1), 300 * S)).toEqual([{ from: 240 * S, to: null }]);
    const bad = record(31, 99, 31).map((sample, i): Sample => (i === 1 ? { ...sample, quality: 'bad' } : sample));
    expect(rehearse({ ...RULE, setpoint: 50 }, bad, 300 * S)).toEqual([]);
    const hatch: ThresholdRule = { ...RULE, setpoint: 0.5, deadband: 0.4, onDelayMs: 600 * S, maxGapMs: null, confirm: 'hold' };
    const opened = [{ at: 0, value: 1, quality: 'good' as const }];
    expect(rehearse(hatch, opened, 599 * S)).toEqual([]);
    expect(rehearse(hatch, opened, 600 * S)).toEqual([{ from: 600 * S, to: null }]);
  });

  it('over a record kept at a longer interval than reported now, a delay runs out all the same; a real gap still restarts it', () => {
    const rule = { ...RULE, onDelayMs: 120 * S, maxGapMs: 15 * S };
    const samples = record(31, 31, 31, 31);
    expect(rehearse(rule, samples, 200 * S)).toEqual([]);
    expect(forRecord(rule, usualGapMs(samples)).maxGapMs).toBe(180 * S);
    expect(rehearse(forRecord(rule, usualGapMs(samples)), samples, 200 * S)).toEqual([{ from: 120 * S, to: null }]);
    const gap = [...record(20, 20, 20, 31), { at: 900 * S, value: 31, quality: 'good' as const }];
    expect(rehearse(forRecord(rule, usualGapMs(gap)), gap, 900 * S)).toEqual([]);
    expect(forRecord({ ...rule, maxGapMs: 900 * S }, 60 * S).maxGapMs).toBe(900 * S);
    expect([usualGapMs(samples.slice(0, 2)), forRecord(rule, null)]).toEqual([null, rule]);
    expect(forRecord({ ...rule, maxGapMs: null }, 60 * S).maxGapMs).toBeNull();
  });

  it('gives the transitions of the live engine, for any readings in any order of ticks', () => {
    const samples = fc.array(
      fc.record({
        gap: fc.integer({ min: 1, max: 400 }),
        value: fc.integer({ min: 25, max: 35 }),
        quality: fc.constantFrom('good' as const, 'suspect' as const, 'bad' as const),
      }),
      { maxLength: 60 },
    );
    const rules = fc.record({
      onDelayMs: fc.constantFrom(0, 60 * S, 300 * S),
      offDelayMs: fc.constantFrom(0, 120 * S),
      deadband: fc.constantFrom(0, 2),
      confirm: fc.constantFrom('readings' as const, 'hold' as const),
      side: fc.constantFrom('high' as const, 'low' as const),
      clearLevel: fc.constantFrom(undefined, 30, 31),
      maxGapMs: fc.constantFrom(null, 200 * S),
    });
    fc.assert(
      fc.property(samples, rules, (given, more) => {
        const rule: ThresholdRule = { ...RULE, ...more };
        let at = 0;
        const all = given.map(({ gap, value, quality }): Sample => ({ at: (at += gap * S), value, quality }));
        const until = at + 1000 * S;
        let state = INITIAL_THRESHOLD_STATE;
        const live: number[] = [];
        const tell = (step: ReturnType<typeof stepThreshold>): void => {
          state = step.state;
          live.push(...step.transitions.map((transition) => transition.at));
        };
        for (const sample of all) {
          tell(stepThreshold(rule, state, { kind: 'tick', at: sample.at - 1 }));
          tell(stepThreshold(rule, state, { kind: 'reading', ...sample }));
        }
        tell(stepThreshold(rule, state, { kind: 'tick', at: until }));
        const rehearsed = rehearse(rule, all, until).flatMap(({ from, to }) => (to === null ? [from] : [from, to]));
        expect(rehearsed).toEqual(live);
      }),
    );
  });
});

describe('its figures', () => {
  it('counts trips a day, time in alarm, the longest, what was fleeting and what chattered', () => {
    // 9.4-01: three activations in sixty seconds, the ends counted, are chattering.
    const chatter = [0, 30, 60].map((s) => ({ from: s * S, to: (s + 10) * S }));
    const long = { from: 3600 * S, to: 7200 * S };
    expect(rehearsalFigures([...chatter, long, { from: 43_000 * S, to: null }], 0, 43_200 * S)).toEqual({
      trips: 5,
      perDay: 10,
      inAlarmMs: 3830 * S,
      longestMs: 3600 * S,
      fleeting: 3,
      chattering: 3,
    });
    const apart = [0, 30, 61].map((s) => ({ from: s * S, to: (s + 10) * S }));
    expect(rehearsalFigures(apart, 0, 100 * S).chattering).toBe(0);
    expect(rehearsalFigures([], 0, 0)).toEqual({ trips: 0, perDay: 0, inAlarmMs: 0, longestMs: 0, fleeting: 0, chattering: 0 });
  });
});

describe('what a record suggests', () => {
  it('noise by the moving range, as the flow rates of the NIST/SEMATECH e-Handbook 6.3.2.2', () => {
    // Published there: mean moving range 1.8778; limits 50.81 ± 3 · 1.8778 / 1.128 = 55.8041 and 45.8159.
    const flow = [49.6, 47.6, 49.9, 51.3, 47.8, 51.2, 52.6, 52.4, 53.6, 52.1];
    expect(50.81 + 3 * (noiseOf(flow) ?? 0)).toBeCloseTo(55.8041, 3);
    expect(50.81 - 3 * (noiseOf(flow) ?? 0)).toBeCloseTo(45.8159, 3);
    expect(noiseOf([1])).toBeNull();
  });

  it('quantiles by definition 7, as in the tables of Hyndman and Fan', () => {
    expect([0, 0.25, 0.5, 0.75, 1].map((share) => quantile([4, 1, 3, 2], share))).toEqual([1, 1.75, 2.5, 3.25, 4]);
  });

  it('a deadband of four times the noise, never under two steps; a setpoint outside of 99 in 100', () => {
    const still = record(...Array<number>(50).fill(20));
    expect(suggest('high', null, still, 0, 3000 * S, 1)).toEqual({ setpoint: 20.1, deadband: { value: 0.2, noise: 0 }, onDelay: null });
    expect(suggest('low', null, still, 0, 3000 * S, 1).setpoint).toBe(19.9);
    const jumping = record(...Array.from({ length: 101 }, (_, i) => 20 + (i % 2)));
    expect(suggest('high', null, jumping, 0, 3000 * S, 1).deadband).toEqual({ value: 3.6, noise: 1 / 1.128 });
    expect(suggest('high', null, [], 0, 1, 1)).toEqual({ setpoint: null, deadband: null, onDelay: null });
  });

  it('the shortest on-delay that lets through what lasts only; none where nothing is fleeting', () => {
    const every10 = (values: number[]): Sample[] => values.map((value, i) => ({ at: i * 10 * S, value, quality: 'good' }));
    const spikes = [...Array.from({ length: 60 }, (_, i) => (i % 6 < 2 ? 31 : 20)), ...Array<number>(30).fill(31), 20];
    const samples = every10(spikes);
    const until = samples.length * 10 * S;
    const found = suggest('high', { ...RULE, onDelayMs: 999 * S }, samples, 0, until, 1).onDelay;
    expect([found?.ms, found?.before.trips, found?.before.fleeting, found?.after.trips]).toEqual([15 * S, 11, 10, 1]);
    expect(suggest('high', RULE, record(20, 31, 31, 20), 0, 240 * S, 1).onDelay).toBeNull();
    expect(suggest('high', { ...RULE, setpoint: 90 }, samples, 0, until, 1).onDelay).toBeNull();
  });
});
