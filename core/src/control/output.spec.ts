import { poweredUp, runEndsAt, stepOutput, type OutputGuards, type OutputInputs, type OutputState } from './output';

const guards: OutputGuards = { minOnMs: 10_000, minOffMs: 20_000, maxRunMs: 120_000, restMs: 60_000, dailyCapMs: 200_000 };
/** Asked for with a fresh command, an interlock that lets it and nobody's hand, unless said otherwise. */
const asked = (at: number, more: Partial<OutputInputs> = {}): OutputInputs => ({
  at,
  demand: true,
  commandAgeMs: 0,
  leaseMs: 60_000,
  ...more,
});
const follow = (steps: readonly OutputInputs[], from = poweredUp(0), held = guards): OutputState[] => {
  let state = from;
  return steps.map((inputs) => (state = stepOutput(held, state, inputs)));
};
const words = (states: readonly OutputState[]): string[] => states.map((state) => `${state.on ? 'on' : 'off'} ${state.reason}`);

describe('what an output may do', () => {
  it('an interlock that is broken lets it not start, and ends a run within its minimum time on; one that is not there, or whole, lets it be', () => {
    expect(words(follow([asked(20_000, { interlockOk: false }), asked(21_000, { interlockOk: true })]))).toEqual([
      'off interlock',
      'on demand',
    ]);
    expect(words(follow([asked(20_000), asked(21_000, { interlockOk: false }), asked(22_000)]))).toEqual([
      'on demand',
      'off interlock',
      'off min-off',
    ]);
  });
  it('off by hand comes before all, an interlock before a lease that is over', () => {
    const all = { offByHand: true, interlockOk: false, commandAgeMs: 60_001 };
    expect(words(follow([asked(20_000, all)]))).toEqual(['off off-by-hand']);
    expect(words(follow([asked(20_000, { ...all, offByHand: false })]))).toEqual(['off interlock']);
  });
  it('a lease ends above its length, not at it; an output at rest that nobody asks for has none', () => {
    expect(words(follow([asked(20_000), asked(80_000, { commandAgeMs: 60_000 }), asked(80_001, { commandAgeMs: 60_001 })]))).toEqual([
      'on demand',
      'on demand',
      'off lease',
    ]);
    expect(words(follow([asked(20_000, { demand: false, commandAgeMs: 60_001 })]))).toEqual(['off demand']);
  });
  it('rests after a maximum run for its rest, though its minimum time off is long over, and starts again at the end of it', () => {
    const states = follow([asked(20_000), asked(139_999), asked(140_000), asked(199_999), asked(200_000)]);
    expect(words(states)).toEqual(['on demand', 'on demand', 'off max-run', 'off rest', 'on demand']);
    expect(states.map((state) => state.restUntil)).toEqual([null, null, 200_000, 200_000, null]);
    // Off by a plain command, it owes its minimum time off only.
    expect(words(follow([asked(20_000), asked(40_000, { demand: false }), asked(59_999), asked(60_000)]))).toEqual([
      'on demand',
      'off demand',
      'off min-off',
      'on demand',
    ]);
  });
  it('says when a run ends by itself: none where it is off or may run on', () => {
    const [running] = follow([asked(20_000)]);
    expect([runEndsAt(guards, running!), runEndsAt(guards, poweredUp(0)), runEndsAt({ ...guards, maxRunMs: null }, running!)]).toEqual([
      140_000,
      null,
      null,
    ]);
    const free = { ...guards, maxRunMs: null, dailyCapMs: null };
    expect(words(follow([asked(20_000), asked(9_000_000)], poweredUp(0), free))).toEqual(['on demand', 'on demand']);
  });
  it('counts its time on towards the cap of the day, stops at it, stays off with it, and begins anew with a new day', () => {
    const states = follow([
      asked(20_000, { day: 4 }),
      asked(120_000, { day: 4 }), // 100 s
      asked(130_000, { day: 4, demand: false }), // 110 s
      asked(170_000, { day: 4 }),
      asked(259_999, { day: 4 }), // a millisecond before 200 s
      asked(260_000, { day: 4 }),
      asked(300_000, { day: 4 }),
      asked(300_001), // no day said: still the fourth
      asked(310_000, { day: 5 }),
    ]);
    expect(words(states)).toEqual([
      'on demand',
      'on demand',
      'off demand',
      'on demand',
      'on demand',
      'off daily-cap',
      'off daily-cap',
      'off daily-cap',
      'on demand',
    ]);
    expect(states.map((state) => state.usedMs)).toEqual([0, 100_000, 110_000, 110_000, 199_999, 200_000, 200_000, 200_000, 0]);
    expect(states.map((state) => state.day)).toEqual([4, 4, 4, 4, 4, 4, 4, 4, 5]);
  });
});
