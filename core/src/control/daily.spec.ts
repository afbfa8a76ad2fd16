import fc from 'fast-check';
import { isForbidden, limitReached, limitsNothing, litresSince, poweredUp, spentAfter, spentAt, stepOutput, type SpentToday } from '.';

const DAY = 86_400_000;
const NONE = { seconds: null, starts: null, litres: null };
const HOUR = 3_600_000;

describe('what an output does on one day', () => {
  it('is counted from what is read back, from midnight on; a run over midnight is no start of the new day', () => {
    let spent: SpentToday | null = null;
    spent = spentAfter(spent, true, 22 * HOUR, 22 * HOUR, 0);
    spent = spentAfter(spent, true, 22 * HOUR, 23 * HOUR, 0);
    expect(spentAt(spent, 23 * HOUR, 0)).toEqual({ runMs: HOUR, starts: 1, on: true });
    expect(spentAt(spent, DAY + HOUR, DAY)).toEqual({ runMs: HOUR, starts: 0, on: true });
    spent = spentAfter(spent, false, DAY + 2 * HOUR, DAY + 2 * HOUR, DAY);
    expect(spentAt(spent, DAY + 5 * HOUR, DAY)).toEqual({ runMs: 2 * HOUR, starts: 0, on: false });
    expect(spentAt(spent, 2 * DAY, 2 * DAY)).toEqual({ runMs: 0, starts: 0, on: false });
    expect(spentAt(null, 5, 0)).toEqual({ runMs: 0, starts: 0, on: false });
  });
  it('a limit acts at its figure; the last start runs to its end; litres that nobody knows keep it off', () => {
    const spent = { runMs: 600_000, starts: 3, on: true };
    expect(limitReached({ ...NONE, seconds: 600 }, spent, null)).toBe('seconds');
    expect(limitReached({ ...NONE, seconds: 601 }, spent, null)).toBeNull();
    expect(limitReached({ ...NONE, starts: 3 }, spent, null)).toBeNull();
    expect(limitReached({ ...NONE, starts: 3 }, { ...spent, on: false }, null)).toBe('starts');
    expect(limitReached({ ...NONE, litres: 40 }, spent, 40)).toBe('litres');
    expect(limitReached({ ...NONE, litres: 40 }, spent, 39.9)).toBeNull();
    expect(limitReached({ ...NONE, litres: 40 }, spent, null)).toBe('meter');
    expect(limitReached(NONE, spent, null)).toBeNull();
    expect([
      limitsNothing({ ...NONE, forbids: [] }),
      limitsNothing({ ...NONE, forbids: [1] }),
      limitsNothing({ ...NONE, starts: 1, forbids: [] }),
    ]).toEqual([true, false, false]);
    expect([litresSince(1200, 1240), litresSince(1200, 7)]).toEqual([40, 7]);
  });
  it('a condition forbids at its level, and where nobody knows', () => {
    expect([isForbidden({ side: 'high', setpoint: 0.5 }, 1), isForbidden({ side: 'high', setpoint: 0.5 }, 0)]).toEqual([true, false]);
    expect([isForbidden({ side: 'low', setpoint: 5 }, 5), isForbidden({ side: 'low', setpoint: 5 }, 5.1)]).toEqual([true, false]);
    expect(isForbidden({ side: 'low', setpoint: 5 }, null)).toBe(true);
  });

  // The node's own engine counts the same where it is told the day: two ways to one figure.
  it('agrees with the time on that the output’s engine counts, whatever happens', () => {
    const guards = { minOnMs: 0, minOffMs: 0, maxRunMs: null, restMs: 0, dailyCapMs: null };
    const events = fc.array(fc.tuple(fc.integer({ min: 1, max: 7 * HOUR }), fc.boolean()), { minLength: 1, maxLength: 40 });
    fc.assert(
      fc.property(events, (steps) => {
        let at = 0;
        let state = poweredUp(0, 0);
        let spent: SpentToday | null = null;
        for (const [after, demand] of steps) {
          // The engine is asked at midnight too: it counts what ran to the day that it is asked on.
          for (let midnight = (Math.floor(at / DAY) + 1) * DAY; midnight <= at + after; midnight += DAY)
            state = { ...stepOutput(guards, state, { at: midnight, demand: state.on, commandAgeMs: 0, leaseMs: 1, day: midnight / DAY }) };
          at += after;
          const day = Math.floor(at / DAY);
          state = stepOutput(guards, state, { at, demand, commandAgeMs: 0, leaseMs: 1, day });
          spent = spentAfter(spent, state.on, at, at, day * DAY);
          expect(spentAt(spent, at, day * DAY).runMs).toBe(state.usedMs);
        }
      }),
      { numRuns: 300 },
    );
  });
});
