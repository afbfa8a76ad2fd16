import fc from 'fast-check';
import {
  clearLevelOf,
  INITIAL_THRESHOLD_STATE,
  stepThreshold,
  type ThresholdEvent,
  type ThresholdRule,
  type ThresholdState,
  type Transition,
} from '.';

const rule = (more: Partial<ThresholdRule> = {}): ThresholdRule => ({
  side: 'high',
  setpoint: 30,
  deadband: 1,
  onDelayMs: 120_000,
  offDelayMs: 60_000,
  maxGapMs: 180_000,
  confirm: 'readings',
  ...more,
});
const reading = (seconds: number, value: number): ThresholdEvent => ({ kind: 'reading', at: seconds * 1000, value, quality: 'good' });
const tick = (seconds: number): ThresholdEvent => ({ kind: 'tick', at: seconds * 1000 });

function run(of: ThresholdRule, events: readonly ThresholdEvent[], from: ThresholdState = INITIAL_THRESHOLD_STATE) {
  let state = from;
  const transitions: Transition[] = [];
  const rejected: (string | undefined)[] = [];
  for (const event of events) {
    const step = stepThreshold(of, state, event);
    state = step.state;
    transitions.push(...step.transitions);
    rejected.push(step.rejected);
  }
  return { state, transitions, rejected, told: transitions.map((t) => `${t.kind} ${t.at / 1000}`) };
}

// The sequences S1 to S18 run through `npm run check-values`; here is what they leave out.
describe('confirm: readings', () => {
  it('ignores ticks: nothing happens between readings', () => {
    expect(run(rule(), [reading(0, 31), tick(119), tick(500), reading(100, 31)]).told).toEqual([]);
    expect(run(rule(), [reading(0, 31), reading(119.999, 31)]).told).toEqual([]);
    expect(run(rule(), [reading(0, 31), reading(120, 31)]).told).toEqual(['trip 120']);
  });
  it('neither counts nor resets on a bad reading', () => {
    const bad: ThresholdEvent = { kind: 'reading', at: 60_000, value: 10, quality: 'bad' };
    const told = run(rule(), [reading(0, 31), bad, reading(120, 31)]);
    expect(told.told).toEqual(['trip 120']);
    expect(told.rejected).toEqual([undefined, 'bad', undefined]);
  });
  it('uses a suspect reading: doubt is shown, not acted on', () => {
    expect(run(rule({ onDelayMs: 0 }), [{ kind: 'reading', at: 0, value: 31, quality: 'suspect' }]).told).toEqual(['trip 0']);
  });
});

describe('confirm: hold', () => {
  const hold = rule({ confirm: 'hold', maxGapMs: null });
  it('trips at exactly start plus delay, whenever the tick that notices it comes', () => {
    expect(run(hold, [reading(0, 31), tick(120)]).told).toEqual(['trip 120']);
    expect(run(hold, [reading(0, 31), tick(119.999)]).told).toEqual([]);
    expect(run(hold, [reading(0, 31), tick(7200)]).told).toEqual(['trip 120']);
    expect(run(hold, [reading(0, 31), reading(7200, 20)]).told).toEqual(['trip 120']);
  });
  it('lets a contrary reading at that very moment win', () => {
    expect(run(hold, [reading(0, 31), reading(120, 20), tick(500)]).told).toEqual([]);
  });
  it('abandons a running delay when the value goes stale first, and never clears an alarm by it', () => {
    const stale = rule({ confirm: 'hold', maxGapMs: 100_000 });
    expect(run(stale, [reading(0, 31), tick(500)]).state.phase).toBe('normal');
    expect(run(stale, [reading(0, 31), reading(90, 31), tick(500)]).told).toEqual(['trip 120']);
    const active = run(stale, [reading(0, 31), reading(90, 31), tick(130), reading(200, 20), tick(10_000)]);
    expect(active.told).toEqual(['trip 120', 'clear 260']);
    // A delay that ends just as the value goes stale is finished: equal is no gap. A millisecond less patience, and it is abandoned.
    const atTheEnd = (maxGapMs: number) => run(rule({ confirm: 'hold', maxGapMs, onDelayMs: 100_000 }), [reading(0, 31), tick(200)]);
    expect([atTheEnd(100_000).transitions.length, atTheEnd(99_999).transitions.length]).toEqual([1, 0]);
    const unheard = run(rule({ confirm: 'hold', maxGapMs: 50_000, onDelayMs: 0 }), [reading(0, 31), reading(10, 20), tick(10_000)]);
    expect(unheard.told).toEqual(['trip 0']);
    expect(unheard.state.phase).toBe('active');
  });
  it('takes readings at or before the watermark for history', () => {
    const told = run(hold, [reading(0, 20), tick(60), reading(60, 31), reading(61, 31)]);
    expect(told.rejected).toEqual([undefined, undefined, 'out-of-order', undefined]);
  });
});

describe('the clear level', () => {
  it('is what a person means, in decimal', () => {
    expect(clearLevelOf('high', 0.3, 0.1)).toBe(0.2);
    expect(clearLevelOf('low', 0.1, 0.2)).toBe(0.3);
  });
});

describe('for any sequence', () => {
  const rules = fc.record({
    side: fc.constantFrom('high' as const, 'low' as const),
    setpoint: fc.constant(30),
    deadband: fc.constantFrom(0, 1, 3),
    onDelayMs: fc.constantFrom(0, 1000, 60_000),
    offDelayMs: fc.constantFrom(0, 1000, 60_000),
    maxGapMs: fc.constantFrom(5000, 90_000),
    confirm: fc.constantFrom('readings' as const, 'hold' as const),
  });
  const steps = fc.array(
    fc.record({ wait: fc.integer({ min: 1, max: 100_000 }), value: fc.constantFrom(20, 26.5, 28.9, 29, 29.5, 30, 30.5, 31, 33.5, 35) }),
    { maxLength: 40 },
  );
  const readingsOf = (list: readonly { wait: number; value: number }[]): { at: number; value: number }[] => {
    let at = 0;
    return list.map(({ wait, value }) => ({ at: (at += wait), value }));
  };

  it('extra ticks between readings change no transition', () => {
    fc.assert(
      fc.property(rules, steps, fc.array(fc.integer({ min: 0, max: 4_000_000 }), { maxLength: 60 }), (r, list, ticks) => {
        const readings = readingsOf(list).map((x): ThresholdEvent => ({ kind: 'reading', ...x, quality: 'good' }));
        const last = readings.at(-1)?.at ?? 0;
        const final: ThresholdEvent = { kind: 'tick', at: last + 200_000 };
        // A tick at a reading's own time comes after it: live ticks run behind the clock.
        const mixed = [...readings, ...ticks.filter((at) => at < last).map((at): ThresholdEvent => ({ kind: 'tick', at }))].sort(
          (a, b) => a.at - b.at || (a.kind === 'reading' ? -1 : 1),
        );
        expect(run(r, [...mixed, final]).transitions).toEqual(run(r, [...readings, final]).transitions);
      }),
      { numRuns: 400 },
    );
  });

  it('batching, a stored state in between and duplicates change no transition', () => {
    fc.assert(
      fc.property(rules, steps, fc.nat(40), (r, list, cut) => {
        const readings = readingsOf(list).map((x): ThresholdEvent => ({ kind: 'reading', ...x, quality: 'good' }));
        const whole = run(r, readings);
        const first = run(r, readings.slice(0, cut));
        const stored = JSON.parse(JSON.stringify(first.state)) as ThresholdState;
        const again = run(r, [...readings.slice(Math.max(0, cut - 3), cut), ...readings.slice(cut)], stored);
        expect([...first.transitions, ...again.transitions]).toEqual(whole.transitions);
        expect(again.state).toEqual(whole.state);
      }),
      { numRuns: 400 },
    );
  });

  it('trips and clears take turns, never before their delay', () => {
    fc.assert(
      fc.property(rules, steps, (r, list) => {
        const { transitions } = run(
          r,
          readingsOf(list).map((x): ThresholdEvent => ({ kind: 'reading', ...x, quality: 'good' })),
        );
        transitions.forEach((t, i) => expect(t.kind).toBe(i % 2 === 0 ? 'trip' : 'clear'));
        for (let i = 1; i < transitions.length; i++) {
          const delay = transitions[i]!.kind === 'trip' ? r.onDelayMs : r.offDelayMs;
          expect(transitions[i]!.at - transitions[i - 1]!.at).toBeGreaterThanOrEqual(delay);
        }
      }),
    );
  });
});
