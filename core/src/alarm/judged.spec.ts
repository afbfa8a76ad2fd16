import {
  columnsOf,
  engineRule,
  INITIAL_RULE_STATE,
  rehearse,
  stepRule,
  type RuleState,
  type Sample,
  type ThresholdEvent,
  type ThresholdRule,
  type Transition,
} from '.';
import { CONTACT, OWN, rule, S, set } from './rules.testing';

const good = (at: number, value: number): Sample => ({ at: at * S, value, quality: 'good' });
const record = (...rows: [number, number][]): Sample[] => rows.map(([at, value]) => good(at, value));
const over = (one: ThresholdRule, samples: readonly Sample[], until: number, beside?: readonly Sample[], also?: readonly Sample[]) =>
  rehearse(one, columnsOf(samples), until * S, {
    ...(beside && { beside: columnsOf(beside) }),
    ...(also && { also: columnsOf(also) }),
  }).map(({ from, to }) => [from / S, to === null ? null : to / S]);

describe('outside a band', () => {
  const band = rule({ judges: { kind: 'band', low: 10 }, setpoint: 20, deadband: 1, clearLevel: 19 });
  it('trips at either end, and clears a deadband inside of both', () => {
    expect(over(band, record([0, 15], [60, 20], [120, 19.5], [180, 19], [240, 10], [300, 10.5], [360, 11]), 400)).toEqual([
      [60, 180],
      [240, 360],
    ]);
  });
  it('goes from beyond the one end to beyond the other without clearing', () => {
    expect(over(band, record([0, 25], [60, 5], [120, 15]), 200)).toEqual([[0, 120]]);
  });
  it('says the value that was read, not how it was judged', () => {
    const step = stepRule(band, INITIAL_RULE_STATE, { kind: 'reading', ...good(0, 4) });
    expect(step.transitions).toEqual([{ kind: 'trip', at: 0, value: 4 }]);
  });
  it('ends in decimal: at 0.1 of a band from 0.1 to 0.3 it is outside, at 0.2 within', () => {
    const fine = rule({ judges: { kind: 'band', low: 0.1 }, setpoint: 0.3, deadband: 0.05, clearLevel: 0.25 });
    expect(over(fine, record([0, 0.1], [60, 0.15], [120, 0.3]), 130)).toEqual([
      [0, 60],
      [120, null],
    ]);
  });
});

describe('how fast it changes', () => {
  const rise = rule({ judges: { kind: 'rate', overSeconds: 600 }, setpoint: 3, deadband: 1, clearLevel: 2 });
  const minutes = (values: number[]): Sample[] => values.map((value, i) => good(i * 60, value));
  it('is not known before the record reaches back as far', () => {
    expect(over(rise, minutes([0, 5, 10, 15, 20, 25, 30, 35, 40, 45]), 560)).toEqual([]);
  });
  it('trips where the value is so much above the one so long ago, straight between readings', () => {
    // 20.0 for ten minutes, then 0.5 a minute: 3.0 above what it was ten minutes ago after six of them.
    const values = [...Array<number>(11).fill(20), 20.5, 21, 21.5, 22, 22.5, 23, 23, 23];
    expect(over(rise, minutes(values), 2000)).toEqual([[16 * 60, null]]);
    const sparse = rule({ judges: { kind: 'rate', overSeconds: 90 }, setpoint: 4.5, clearLevel: 4.5 });
    expect(over(sparse, record([0, 0], [60, 2], [120, 5], [180, 9]), 200)).toEqual([[180, null]]);
  });
  it('a fall is a change below nothing', () => {
    const fall = rule({ judges: { kind: 'rate', overSeconds: 120 }, side: 'low', setpoint: -2, deadband: 1, clearLevel: -1 });
    expect(over(fall, record([0, 10], [60, 10], [120, 8], [180, 8], [240, 8]), 300)).toEqual([[120, 240]]);
  });
  it('across a silence nothing is known: what it was before is no longer held against it', () => {
    expect(over(rise, record([0, 20], [60, 20], [1200, 40], [1260, 40]), 1300)).toEqual([]);
  });
  it('keeps few readings of a fast point, and judges as it would by all of them', () => {
    const fast = rule({ judges: { kind: 'rate', overSeconds: 600 }, setpoint: 5.99, clearLevel: 5.99 });
    let state: RuleState = INITIAL_RULE_STATE;
    let tripped: number | null = null;
    for (let i = 0; i <= 3000 && tripped === null; i++) {
      const step = stepRule(fast, state, { kind: 'reading', ...good(i, i < 1000 ? 0 : (i - 1000) / 100) });
      state = step.state;
      tripped = step.transitions[0]?.at ?? null;
    }
    expect(tripped).toBe(1599 * S);
    expect(state.memory?.samples?.length).toBeLessThan(130);
  });
});

describe('how often it came', () => {
  const often = rule({ judges: { kind: 'count', level: 1, withinSeconds: 600 }, setpoint: 3, clearLevel: 2, deadband: 1 }, CONTACT);
  const openings = (...at: number[]): Sample[] => [good(0, 0), ...at.flatMap((time) => [good(time, 1), good(time + 5, 0)])];
  it('counts what comes from below, within so long, and goes down by time alone', () => {
    expect(over(often, openings(10, 200, 400), 2000)).toEqual([[400, 610]]);
    expect(over(often, openings(10, 200, 611), 2000)).toEqual([]);
  });
  it('what comes late, and all at once, is counted too', () => {
    let state: RuleState = stepRule(often, INITIAL_RULE_STATE, { kind: 'tick', at: 700 * S }).state;
    const seen: Transition[] = [];
    for (const sample of openings(610, 630, 650)) {
      const step = stepRule(often, state, { kind: 'reading', ...sample });
      state = step.state;
      seen.push(...step.transitions);
    }
    expect(seen).toMatchObject([{ kind: 'trip', value: 3 }]);
  });
  it('what stays open is one opening, and what it was when it was heard first is none', () => {
    expect(over(often, record([0, 1], [10, 1], [20, 1], [30, 1]), 100)).toEqual([]);
  });
});

describe('for how long nothing was read', () => {
  const silent = rule({ judges: { kind: 'silence' }, setpoint: 300, clearLevel: 300 });
  it('trips at the very end of that time, without a reading, and clears with one', () => {
    expect(over(silent, record([0, 5], [299, 5], [700, 5]), 900)).toEqual([[599, 700]]);
    expect(over(silent, record([0, 5]), 299)).toEqual([]);
    expect(over(silent, record([0, 5]), 300)).toEqual([[300, null]]);
  });
  it('what is bad is no reading; what was never read is not silent', () => {
    expect(over(silent, [good(0, 5), { at: 200 * S, value: 5, quality: 'bad' }], 400)).toEqual([[300, null]]);
    expect(over(silent, [], 10_000)).toEqual([]);
  });
  it('a reading that was on its way while time went on still ends it', () => {
    const ticked = stepRule(silent, stepRule(silent, INITIAL_RULE_STATE, { kind: 'reading', ...good(0, 5) }).state, {
      kind: 'tick',
      at: 300 * S,
    });
    expect(ticked.transitions).toEqual([{ kind: 'trip', at: 300 * S, value: 300 }]);
    const late = stepRule(silent, ticked.state, { kind: 'reading', ...good(299, 5) });
    expect(late.transitions.map(({ kind }) => kind)).toEqual(['clear']);
    // And it trips again, once.
    const again = stepRule(silent, late.state, { kind: 'tick', at: 599 * S });
    expect(again.transitions).toEqual([{ kind: 'trip', at: 599 * S, value: 300 }]);
    expect(stepRule(silent, again.state, { kind: 'tick', at: 5000 * S }).transitions).toEqual([]);
  });
  it('counts from when somebody listened: after a server that was away nobody was silent, and whoever is, is so from then', () => {
    const { state } = stepRule(silent, INITIAL_RULE_STATE, { kind: 'reading', ...good(0, 5) });
    const at = (event: ThresholdEvent, since: number): Transition[] => [
      ...stepRule(silent, state, event, false, 'own', since * S).transitions,
    ];
    expect(at({ kind: 'tick', at: 2299 * S }, 2000)).toEqual([]);
    expect(at({ kind: 'tick', at: 2300 * S }, 2000)).toEqual([{ kind: 'trip', at: 2300 * S, value: 300 }]);
    expect(at({ kind: 'reading', ...good(2001, 5) }, 2000)).toEqual([]);
    // Had somebody listened, it would have been silent: both are told, each with its own value.
    expect(at({ kind: 'reading', ...good(2001, 5) }, 0)).toEqual([
      { kind: 'trip', at: 300 * S, value: 300 },
      { kind: 'clear', at: 2001 * S, value: 0 },
    ]);
  });
});

describe('less another point', () => {
  const warmer = rule({ judges: { kind: 'difference', point: 7 }, setpoint: 4, deadband: 1, clearLevel: 3 });
  it('is judged with what the other one said last, whichever speaks', () => {
    expect(over(warmer, record([10, 20], [70, 20], [130, 20]), 200, record([5, 18], [65, 16], [125, 17.5]))).toEqual([[65, 125]]);
  });
  it('is not judged by what is stale, nor without the other', () => {
    expect(over(warmer, record([0, 20], [400, 40], [460, 40]), 500, record([0, 18]))).toEqual([]);
    expect(over(warmer, record([0, 90]), 100)).toEqual([]);
  });
  it('of a point that is gone is judged never', () => {
    const gone = engineRule(set({ judges: { kind: 'difference', point: 7 }, setpoint: 4 }), OWN, 'UTC');
    expect(over(gone, record([0, 90], [60, 90]), 100, record([59, 1]))).toEqual([]);
  });
});

describe('two conditions', () => {
  const also = (join: 'and' | 'or') => ({
    also: { join, point: 9, side: 'high' as const, setpoint: 1 },
    setpoint: 25,
    deadband: 1,
    clearLevel: 24,
  });
  const window = record([0, 0], [100, 1], [500, 0]);
  it('both: trips when the second comes about, and is over with the first that goes', () => {
    const both = rule(also('and'), OWN, CONTACT);
    expect(over(both, record([60, 26], [120, 26], [180, 24.5], [240, 24]), 600, undefined, window)).toEqual([[100, 240]]);
    // What it said at 60 is stale when the window opens.
    expect(over(both, record([60, 26], [480, 26], [540, 26]), 600, undefined, record([0, 0], [300, 1], [500, 0]))).toEqual([[480, 500]]);
  });
  it('either: one is enough, even where the other is not known', () => {
    const either = rule(also('or'), OWN, CONTACT);
    expect(over(either, record([60, 20], [120, 20]), 600, undefined, window)).toEqual([[100, null]]);
    expect(over(either, record([60, 26]), 300)).toEqual([[60, null]]);
  });
  it('what is not known of the second leaves both undecided: it neither trips nor clears', () => {
    const both = rule(also('and'), OWN, OWN);
    expect(over(both, record([60, 26], [120, 26]), 300)).toEqual([]);
    // The window spoke last at 100; after three of its intervals nobody knows.
    expect(over(both, record([60, 26], [120, 26], [180, 26], [400, 26], [460, 26]), 600, undefined, record([100, 1]))).toEqual([
      [100, null],
    ]);
  });
  it('says the value of its own point', () => {
    const both = rule(also('and'), OWN, CONTACT);
    const first = stepRule(both, INITIAL_RULE_STATE, { kind: 'reading', ...good(0, 27) });
    expect(stepRule(both, first.state, { kind: 'reading', ...good(1, 1) }, false, 'also').transitions).toEqual([
      { kind: 'trip', at: S, value: 27 },
    ]);
  });
  it('two contacts heard in another order than they spoke: the next look at the clock knows', () => {
    const both = engineRule(
      set({ also: { join: 'and', point: 9, side: 'high', setpoint: 1 }, setpoint: 1, clearLevel: 0, deadband: 1 }),
      CONTACT,
      'UTC',
      () => CONTACT,
    );
    let { state } = stepRule(both, INITIAL_RULE_STATE, { kind: 'reading', ...good(10, 1) });
    const late = stepRule(both, state, { kind: 'reading', ...good(9, 1) }, false, 'also');
    state = late.state;
    const seen = [...late.transitions, ...stepRule(both, state, { kind: 'tick', at: 12 * S }).transitions];
    expect(seen.map(({ kind }) => kind)).toEqual(['trip']);
  });
});

it('out of its hours, or suppressed, nothing trips, and what it remembers goes on', () => {
  const often = rule({ judges: { kind: 'count', level: 1, withinSeconds: 3600 }, setpoint: 2, clearLevel: 1, deadband: 1 }, CONTACT);
  let state: RuleState = INITIAL_RULE_STATE;
  const seen: Transition[] = [];
  const read = (at: number, value: number, suppressed: boolean): void => {
    const step = stepRule(often, state, { kind: 'reading', ...good(at, value) }, suppressed);
    state = step.state;
    seen.push(...step.transitions);
  };
  for (const [at, value] of [
    [0, 0],
    [10, 1],
    [20, 0],
    [30, 1],
  ] as const)
    read(at, value, true);
  expect(seen).toEqual([]);
  read(40, 0, false);
  expect(seen).toEqual([{ kind: 'trip', at: 40 * S, value: 2 }]);
  read(50, 0, true);
  expect(seen[1]).toMatchObject({ kind: 'clear', why: 'suppressed' });
});
