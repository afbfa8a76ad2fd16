import fc from 'fast-check';
import { newLeasedOutput, runEndsAt, stepLeasedOutput, type LeasedOutput, type OutputEvent, type OutputGuards } from '.';

const guards: OutputGuards = { minOnMs: 10_000, minOffMs: 20_000, maxRunMs: 120_000, restMs: 60_000, dailyCapMs: null };

function run(g: OutputGuards, events: readonly OutputEvent[]): LeasedOutput[] {
  let state = newLeasedOutput(0);
  return events.map((event) => (state = stepLeasedOutput(g, state, event)));
}
const told = (states: readonly LeasedOutput[]): string[] => states.map(({ output }) => `${output.on ? 'on' : 'off'} ${output.reason}`);
const on = (at: number, leaseMs = 30_000): OutputEvent => ({ kind: 'command', at, on: true, leaseMs });
const off = (at: number): OutputEvent => ({ kind: 'command', at, on: false, leaseMs: 30_000 });
const tick = (at: number): OutputEvent => ({ kind: 'tick', at });

// The sequences R1 to R5 run through `npm run check-values`; here is what a node adds to them.
describe('a leased output', () => {
  it('waits out its minimum time off after power-up, then obeys', () => {
    expect(told(run(guards, [on(1000), tick(19_999), tick(20_000)]))).toEqual(['off min-off', 'off min-off', 'on demand']);
  });
  it('goes off when its lease runs out, minimum on or not, and stays off until told anew', () => {
    const states = run({ ...guards, minOnMs: 300_000 }, [on(20_000), tick(50_000), tick(50_001), tick(90_000), on(90_001)]);
    expect(told(states)).toEqual(['on demand', 'on demand', 'off lease', 'off demand', 'on demand']);
  });
  it('is renewed by a command, which never restarts the maximum run', () => {
    const renewals = Array.from({ length: 13 }, (_, i) => on(20_000 + i * 10_000));
    expect(told(run(guards, renewals)).slice(-2)).toEqual(['on demand', 'off max-run']);
    expect(runEndsAt(guards, run(guards, renewals.slice(0, 5)).at(-1)!.output)).toBe(140_000);
  });
  it('keeps its minimum time on against a plain off, not against off by hand', () => {
    expect(told(run(guards, [on(20_000), off(21_000), tick(29_999), tick(30_000)]))).toEqual([
      'on demand',
      'on min-on',
      'on min-on',
      'off demand',
    ]);
    expect(told(run(guards, [on(20_000), { kind: 'off-by-hand', at: 21_000 }]))).toEqual(['on demand', 'off off-by-hand']);
  });
  it('goes fail-safe at once when its sensor is lost, and neither that nor a hand lets it start again by itself', () => {
    for (const kind of ['fail-safe', 'off-by-hand'] as const) {
      const states = run(guards, [on(20_000), { kind, at: 20_100 }, tick(30_000), tick(90_000), off(90_001), on(90_002)]);
      expect(states.map(({ output }) => output.on)).toEqual([true, false, false, false, false, true]);
      expect(states.map(({ demand }) => demand)).toEqual([true, false, false, false, false, true]);
    }
    expect(told(run(guards, [on(20_000), { kind: 'fail-safe', at: 20_100 }])).at(-1)).toBe('off lease');
  });
  it('takes the day from a tick, and keeps it through commands', () => {
    const states = run({ ...guards, dailyCapMs: 15_000 }, [{ kind: 'tick', at: 19_000, day: 7 }, on(20_000), tick(35_000), on(60_000)]);
    expect(told(states)).toEqual(['off demand', 'on demand', 'off daily-cap', 'off daily-cap']);
    const next = stepLeasedOutput({ ...guards, dailyCapMs: 15_000 }, states.at(-1)!, { kind: 'tick', at: 61_000, day: 8 });
    expect([next.output.day, next.output.on]).toEqual([8, true]);
  });

  const events = fc.array(
    fc.record({
      wait: fc.integer({ min: 0, max: 40_000 }),
      what: fc.constantFrom('on', 'off', 'hand', 'fail', 'tick'),
      leaseMs: fc.constantFrom(1000, 10_000, 60_000),
    }),
    { maxLength: 60 },
  );
  const eventsOf = (list: readonly { wait: number; what: string; leaseMs: number }[]): OutputEvent[] => {
    let at = 0;
    return list.map(({ wait, what, leaseMs }) => {
      at += wait;
      if (what === 'on') return on(at, leaseMs);
      if (what === 'off') return { kind: 'command', at, on: false, leaseMs };
      if (what === 'hand') return { kind: 'off-by-hand', at };
      return what === 'fail' ? { kind: 'fail-safe', at } : tick(at);
    });
  };

  it('never stays on beyond its lease, nor beyond its maximum run, in any sequence', () => {
    fc.assert(
      fc.property(events, (list) => {
        const sequence = eventsOf(list);
        let state = newLeasedOutput(0);
        let grant = { at: -Infinity, leaseMs: 0 };
        let onSince: number | null = null;
        for (const event of sequence) {
          state = stepLeasedOutput(guards, state, event);
          if (event.kind === 'command') grant = { at: event.at, leaseMs: event.leaseMs };
          onSince = state.output.on ? (onSince ?? event.at) : null;
          if (!state.output.on) continue;
          expect(event.at - grant.at).toBeLessThanOrEqual(grant.leaseMs);
          expect(event.at - onSince!).toBeLessThan(guards.maxRunMs!);
          // And when everything falls silent, it is off one lease later.
          expect(stepLeasedOutput(guards, state, tick(event.at + grant.leaseMs + 1)).output.on).toBe(false);
        }
      }),
      { numRuns: 500 },
    );
  });

  it('is never switched on by anything but a command that says so', () => {
    fc.assert(
      fc.property(
        events.map((list) => list.filter((e) => e.what !== 'on')),
        (list) => {
          expect(run(guards, eventsOf(list)).some((state) => state.output.on)).toBe(false);
        },
      ),
    );
  });
});
