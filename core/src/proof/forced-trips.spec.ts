import fc from 'fast-check';
import {
  inAlarm,
  INITIAL_RULE_STATE,
  readBefore,
  stepRule,
  type Judged,
  type ReadingOf,
  type RuleState,
  type ThresholdRule,
} from '../alarm';
import { rule, S } from '../alarm/rules.testing';
import { forcingOf, ruleOfTest, type ForcedPoint, type JudgedNow } from '.';

const POINT: ForcedPoint = {
  ...{ unit: '°C', decimals: 1, confirm: 'readings', min: 0, max: 40, physicalMin: -100, physicalMax: 100, reportSeconds: 60 },
};
type Said = readonly [of: ReadingOf, value: number];

/** What a rule has come to after its points were read every twenty seconds, one after the other; when, ms. */
function after(one: ThresholdRule, said: readonly Said[]): { state: RuleState; at: number; newest: Partial<Record<ReadingOf, number>> } {
  const newest: Partial<Record<ReadingOf, number>> = {};
  let state = INITIAL_RULE_STATE;
  said.forEach(([of, value], i) => {
    newest[of] = value;
    state = stepRule(one, state, { kind: 'reading', at: i * 20 * S, value, quality: 'good' }, false, of).state;
  });
  return { state, at: said.length * 20 * S, newest };
}

/** Begins a test as the server does; `null`: it refuses. */
function begun(one: ThresholdRule, { state, newest }: ReturnType<typeof after>): { test: ThresholdRule; state: RuleState } | null {
  const { memory } = state;
  const kind = one.judges?.kind;
  const value = kind === undefined || kind === 'band' ? newest.own : kind === 'count' ? (memory?.times?.length ?? 0) : memory?.shown;
  const now: JudgedNow = { value: value ?? null, also: newest.also === undefined ? null : { value: newest.also, point: POINT } };
  const forcing = forcingOf(one, POINT, now);
  if (forcing.how === 'no') return null;
  return { test: ruleOfTest(one, forcing), state: { ...INITIAL_RULE_STATE, ...(memory && { memory: readBefore(memory) }) } };
}

describe('a rule whose figures were moved for a test', () => {
  const kinds: Judged[] = [
    { kind: 'value' },
    { kind: 'band', low: 10 },
    { kind: 'count', level: 15, withinSeconds: 6000 },
    { kind: 'difference', point: 2 },
  ];
  const rules = fc.tuple(fc.constantFrom(...kinds), fc.constantFrom('and' as const, 'or' as const, null)).map(([judges, join]) =>
    rule({
      ...{
        judges,
        setpoint: judges.kind === 'count' ? 3 : 20,
        deadband: 1,
        clearLevel: judges.kind === 'count' ? 2 : 19,
        onDelaySeconds: 600,
      },
      ...(join && { also: { join, point: 3, side: 'high' as const, setpoint: 12 } }),
    }),
  );
  const readings = fc.array(fc.tuple(fc.constantFrom<ReadingOf>('own', 'beside', 'also'), fc.integer({ min: 0, max: 30 })), {
    minLength: 12,
    maxLength: 30,
  });

  it('trips at the next reading, were it the same again; not by time alone, before anything was read', () => {
    let proved = 0;
    fc.assert(
      fc.property(rules, readings, (one, said) => {
        const last: Said[] = [
          ['beside', 9],
          ['also', 5],
          ['own', 11],
        ];
        const before = after(one, [...said, ...last]);
        if (inAlarm(before.state)) return;
        const test = begun(one, before);
        if (test === null) return;
        proved++;
        const { at } = before;
        const waited = stepRule(test.test, test.state, { kind: 'tick', at: at - S });
        // Of two conditions what both read last is known.
        if (one.also) expect(waited.transitions.length).toBeLessThan(2);
        else expect(waited.transitions).toEqual([]);
        const read = stepRule(test.test, waited.state, { kind: 'reading', at, value: 11, quality: 'good' });
        expect([...waited.transitions, ...read.transitions].map(({ kind }) => kind)).toEqual(['trip']);
      }),
      { numRuns: 500 },
    );
    expect(proved).toBeGreaterThan(100);
  });

  it('of a change knows what was read before the test began', () => {
    const one = rule({ judges: { kind: 'rate', overSeconds: 120 }, setpoint: 20 });
    const rising = after(
      one,
      Array.from({ length: 10 }, (_, i): Said => ['own', i]),
    );
    const test = begun(one, rising);
    // 6 degrees within the two minutes that it looks back.
    expect(test?.test.setpoint).toBe(5);
    const next = (state: RuleState) => stepRule(test!.test, state, { kind: 'reading', at: rising.at, value: 10, quality: 'good' });
    expect(next(test!.state).transitions).toMatchObject([{ kind: 'trip', value: 6 }]);
    expect(next(INITIAL_RULE_STATE).transitions).toEqual([]);
  });

  it('of a silence trips as time goes on; of a count, what a hand has done for the test is forgotten after it', () => {
    const quiet = rule({ judges: { kind: 'silence' }, setpoint: 600 });
    const silence = after(quiet, [['own', 20]]);
    const forcing = forcingOf(quiet, POINT, { value: 5, also: null });
    if (forcing.how === 'no') throw new Error(forcing.why);
    const state = { ...INITIAL_RULE_STATE, memory: readBefore(silence.state.memory!) };
    expect(stepRule(ruleOfTest(quiet, forcing), state, { kind: 'tick', at: S }).transitions).toEqual([]);
    const tripped = stepRule(ruleOfTest(quiet, forcing), state, { kind: 'tick', at: 3 * S });
    expect(tripped.transitions).toMatchObject([{ kind: 'trip', at: 2 * S }]);
    // What it switched has to be read back: the next reading ends nothing.
    expect(
      stepRule(ruleOfTest(quiet, forcing), tripped.state, { kind: 'reading', at: 5 * S, value: 20, quality: 'good' }).transitions,
    ).toEqual([]);

    const often = rule({ judges: { kind: 'count', level: 1, withinSeconds: 3600 }, setpoint: 3 });
    const came = after(
      often,
      [0, 1, 0, 1].map((value): Said => ['own', value]),
    );
    expect(came.state.memory?.times).toEqual([20 * S, 60 * S]);
    expect(readBefore(came.state.memory!, 60 * S).times).toEqual([20 * S]);
  });
});
