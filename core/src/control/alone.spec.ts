import fc from 'fast-check';
import {
  columnsOf,
  engineRule,
  inAlarm,
  INITIAL_RULE_STATE,
  rehearse,
  stepRule,
  type Excursion,
  type Sample,
  type ThresholdEvent,
} from '../alarm';
import type { OwnThreshold } from '../wire';
import { demandedAlone, stepOwn, type OwnStates } from '.';

const dry: OwnThreshold = {
  id: 7,
  point: 'humidity',
  output: 'humidifier',
  side: 'low',
  setpoint: 50,
  clearLevel: 55,
  onDelaySeconds: 10,
  offDelaySeconds: 0,
  confirm: 'readings',
  measures: [0, 100],
};
const EVERY = 5;
/** Readings five seconds apart from `from` s on; gives where the thresholds stand after each. */
const follow = (values: readonly number[], thresholds = [dry], from = 0): OwnStates[] => {
  let states: OwnStates = new Map();
  return values.map(
    (value, i) => (states = stepOwn(thresholds, states, { point: 'humidity', at: (from + i * EVERY) * 1000, value }, EVERY)),
  );
};
const asks = (values: readonly number[], thresholds = [dry]): (boolean | null)[] =>
  follow(values, thresholds).map((states, i) => demandedAlone(thresholds, states, 'humidifier', i * EVERY * 1000, EVERY));

describe('a node that goes on alone', () => {
  it('trips after its delay and clears with its deadband, as the site would', () => {
    expect(asks([60, 49, 48, 47, 52, 54, 55])).toEqual([false, false, false, true, true, true, false]);
  });
  it('is moved by nothing that its sensor cannot measure', () => {
    expect(asks([49, 49, 320, 49])).toEqual([false, false, false, true]);
    expect(asks([49, 49, 49, -5, 320])).toEqual([false, false, true, true, true]);
  });
  it('counts what lies exactly at an end of what its sensor can measure', () => {
    const edge: OwnThreshold = { ...dry, onDelaySeconds: 0, measures: [49, 100] };
    expect(asks([49], [edge])).toEqual([true]);
    expect(asks([48.9], [edge])).toEqual([false]);
    const high: OwnThreshold = { ...edge, side: 'high', setpoint: 90, clearLevel: 85 };
    expect(asks([100], [high])).toEqual([true]);
    expect(asks([100.1], [high])).toEqual([false]);
  });
  it('clears only after its delay, and still asks while that runs', () => {
    expect(asks([49, 56, 56, 56], [{ ...dry, onDelaySeconds: 0, offDelaySeconds: 10 }])).toEqual([true, true, true, false]);
  });
  it('is moved by readings of its own point only', () => {
    const now: OwnThreshold = { ...dry, onDelaySeconds: 0 };
    const states = stepOwn([now], new Map(), { point: 'temperature', at: 0, value: 3 }, EVERY);
    expect(demandedAlone([now], states, 'humidifier', 0, EVERY)).toBe(false);
  });
  it('asks for nothing on a reading that is older than three intervals', () => {
    const states = follow([49, 49, 49]).at(-1)!;
    const at = (seconds: number) => demandedAlone([dry], states, 'humidifier', seconds * 1000, EVERY);
    expect([at(10), at(25), at(26)]).toEqual([true, true, false]);
  });
  it('leaves an output alone that none of its thresholds switches; one tripped of two is enough', () => {
    const damp: OwnThreshold = { ...dry, id: 8, side: 'high', setpoint: 90, clearLevel: 85, onDelaySeconds: 0 };
    expect(demandedAlone([dry], new Map(), 'pump', 0, EVERY)).toBeNull();
    expect(asks([95, 80, 60], [dry, damp])).toEqual([true, false, false]);
    const other = stepOwn([dry], new Map(), { point: 'temperature', at: 0, value: 3 }, EVERY);
    expect(demandedAlone([dry], other, 'humidifier', 0, EVERY)).toBe(false);
  });
});

it('live, in a rehearsal and at a node that is cut off a rule comes to the same by the same readings', () => {
  const rules = fc.record({
    ...{ side: fc.constantFrom('high' as const, 'low' as const), confirm: fc.constantFrom('readings' as const, 'hold' as const) },
    ...{ setpoint: fc.integer({ min: 30, max: 70 }), deadband: fc.integer({ min: 0, max: 10 }) },
    ...{ onDelaySeconds: fc.integer({ min: 0, max: 30 }), offDelaySeconds: fc.integer({ min: 0, max: 30 }) },
  });
  // Beyond 0 and 100 is what its sensor cannot measure.
  const readings = fc.array(fc.tuple(fc.integer({ min: 1, max: 40 }), fc.integer({ min: -5, max: 105 })), { minLength: 1, maxLength: 80 });
  let trips = 0;
  fc.assert(
    fc.property(rules, readings, (rule, said) => {
      const clearLevel = rule.side === 'high' ? rule.setpoint - rule.deadband : rule.setpoint + rule.deadband;
      const live = engineRule({ ...rule, clearLevel }, { confirm: rule.confirm, reportSeconds: EVERY }, 'UTC');
      const own: OwnThreshold = { ...dry, ...rule, clearLevel };
      let at = 0;
      const samples = said.map(([gap, value]): Sample => {
        at += gap * 1000;
        return { at, value, quality: value < 0 || value > 100 ? 'bad' : 'good' };
      });
      let [state, alone, found] = [INITIAL_RULE_STATE, new Map() as OwnStates, [] as Excursion[]];
      const take = (event: ThresholdEvent): void => {
        const step = stepRule(live, state, event);
        state = step.state;
        for (const { kind, at: when } of step.transitions)
          found = kind === 'trip' ? [...found, { from: when, to: null }] : [...found.slice(0, -1), { from: found.at(-1)!.from, to: when }];
      };
      for (const sample of samples) {
        take({ kind: 'reading', ...sample });
        alone = stepOwn([own], alone, { point: 'humidity', at: sample.at, value: sample.value }, EVERY);
        expect(inAlarm(alone.get(dry.id)!)).toBe(inAlarm(state));
      }
      // A record ends; until then time has passed.
      take({ kind: 'tick', at });
      trips += found.length;
      expect(rehearse(live, columnsOf(samples), at)).toEqual(found);
    }),
    { numRuns: 400 },
  );
  expect(trips).toBeGreaterThan(150);
});
