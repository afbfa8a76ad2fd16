import fc from 'fast-check';
import {
  columnsOf,
  HOURS_OF_WEEK,
  INITIAL_RULE_STATE,
  isPlain,
  rehearse,
  stepRule,
  type Excursion,
  type Habit,
  type Judged,
  type ReadingOf,
  type RuleState,
  type ThresholdEvent,
  type ThresholdRule,
} from '.';
import { OWN, rule, S } from './rules.testing';

describe('whatever is judged', () => {
  const kinds: Judged[] = [
    { kind: 'band', low: 10 },
    { kind: 'rate', overSeconds: 300 },
    { kind: 'count', level: 15, withinSeconds: 600 },
    { kind: 'silence' },
    { kind: 'difference', point: 2 },
    { kind: 'usual' },
  ];
  const habit: Habit = {
    ...{ zone: 'UTC', weeks: 6 },
    low: Array.from({ length: HOURS_OF_WEEK }, (_, hour) => (hour % 5 === 0 ? null : hour % 7)),
    high: Array.from({ length: HOURS_OF_WEEK }, (_, hour) => (hour % 5 === 0 ? null : 3 + (hour % 7))),
  };
  const events = fc.array(
    fc.tuple(fc.constantFrom<ReadingOf>('own', 'own', 'beside', 'also'), fc.integer({ min: 1, max: 400 }), fc.integer({ min: 0, max: 30 })),
    { minLength: 1, maxLength: 60 },
  );
  const rules = fc
    .tuple(fc.constantFrom(...kinds), fc.constantFrom('and' as const, 'or' as const, null), fc.integer({ min: 0, max: 5 }))
    .map(([judges, join, minutes]) =>
      rule(
        {
          ...{ judges, setpoint: judges.kind === 'silence' ? 200 : judges.kind === 'count' ? 2 : 20, onDelaySeconds: minutes * 60 },
          ...(join && { also: { join, point: 3, side: 'low' as const, setpoint: 12 } }),
        },
        { ...OWN, habit },
      ),
    );
  const taken = (one: ThresholdRule, lanes: readonly { of: ReadingOf; at: number; value: number }[], ticks: boolean): Excursion[] => {
    let state: RuleState = INITIAL_RULE_STATE;
    const found: Excursion[] = [];
    const take = (event: ThresholdEvent, of: ReadingOf = 'own'): void => {
      const step = stepRule(one, state, event, false, of);
      state = JSON.parse(JSON.stringify(step.state)) as RuleState;
      for (const { kind, at } of step.transitions) {
        if (kind === 'trip') found.push({ from: at, to: null });
        else found.push({ from: (found.pop() as Excursion).from, to: at });
      }
    };
    for (const { of, at, value } of lanes) {
      // As the clock does it: two seconds behind what has come.
      if (ticks) take({ kind: 'tick', at: at - 2 * S });
      take({ kind: 'reading', at, value, quality: 'good' }, of);
    }
    take({ kind: 'tick', at: (lanes.at(-1)?.at ?? 0) + 3600 * S });
    return found;
  };

  it('the live engine, its state written down and read again at every step, and a rehearsal agree', () => {
    fc.assert(
      fc.property(rules, events, fc.boolean(), (one, steps, ticks) => {
        let time = 0;
        // Two seconds at least apart, as its ticks are behind.
        const lanes = steps.map(([of, wait, value]) => ({ of, at: (time += (wait + 2) * S), value }));
        const of = (which: ReadingOf) =>
          columnsOf(lanes.filter((lane) => lane.of === which).map(({ at, value }) => ({ at, value, quality: 'good' as const })));
        const rehearsed = rehearse(one, of('own'), (lanes.at(-1)?.at ?? 0) + 3600 * S, { beside: of('beside'), also: of('also') });
        expect(taken(one, lanes, ticks)).toEqual(rehearsed);
      }),
      { numRuns: 400 },
    );
  });

  it('only the value itself of one point is what a node can judge alone', () => {
    expect(isPlain(rule({}))).toBe(true);
    expect(isPlain(rule({ judges: { kind: 'value' } }))).toBe(true);
    for (const judges of kinds) expect(isPlain(rule({ judges }))).toBe(false);
    expect(isPlain(rule({ also: { join: 'and', point: 9, side: 'high', setpoint: 1 } }))).toBe(false);
  });
});
