import fc from 'fast-check';
import { isWantedInCycle, settlesAt, shareOf } from '.';

const MIN = 60_000;
const FREE = { minOnMs: 0, minOffMs: 0 };

/** Runs it second by second; gives its starts and the time on. */
function run(share: (at: number) => number, cycleMs: number, guards: typeof FREE, ms: number) {
  let last = null as { on: boolean; at: number } | null;
  const starts: number[] = [];
  let onMs = 0;
  for (let at = 0; at < ms; at += 1000) {
    const on = isWantedInCycle(share(at), cycleMs, guards, 0, last, at);
    if (on && !last?.on) starts.push(at);
    if (on !== (last?.on ?? false)) last = { on, at };
    if (on) onMs += 1000;
  }
  return { starts, onMs };
}

describe('the share of a cycle', () => {
  it('is nothing where its rule clears, and all of it a band away', () => {
    const low = (value: number): number => shareOf({ band: 4 }, 'low', 20, value);
    expect([low(21), low(20), low(19), low(16), low(3)]).toEqual([0, 0, 0.25, 1, 1]);
    expect([shareOf({ band: 4 }, 'high', 20, 23), shareOf({ band: 4 }, 'high', 20, 19)]).toEqual([0.75, 0]);
  });
  it('is kept to over many cycles, with one start each', () => {
    for (const share of [0.1, 0.25, 0.5, 0.9]) {
      const { starts, onMs } = run(() => share, 10 * MIN, FREE, 100 * MIN);
      expect([starts.length, onMs / (100 * MIN)]).toEqual([10, share]);
    }
    expect(run(() => 1, 10 * MIN, FREE, 100 * MIN)).toEqual({ starts: [0], onMs: 100 * MIN });
    expect(run(() => 0, 10 * MIN, FREE, 100 * MIN).onMs).toBe(0);
  });
  it('that its guards do not allow is none, or all', () => {
    const guards = { minOnMs: 2 * MIN, minOffMs: 3 * MIN };
    expect(run(() => 0.19, 10 * MIN, guards, 100 * MIN).onMs).toBe(0);
    expect(run(() => 0.2, 10 * MIN, guards, 100 * MIN).starts).toHaveLength(10);
    expect(run(() => 0.71, 10 * MIN, guards, 100 * MIN)).toEqual({ starts: [0], onMs: 100 * MIN });
  });
  it('never starts it twice in a cycle, whatever the share does meanwhile', () => {
    fc.assert(
      fc.property(fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { minLength: 10, maxLength: 60 }), (shares) => {
        const { starts } = run(
          (at) => shares[Math.floor(at / 97_000) % shares.length] ?? 0,
          10 * MIN,
          { minOnMs: MIN, minOffMs: MIN },
          120 * MIN,
        );
        const cycles = starts.map((at) => Math.floor(at / (10 * MIN)));
        expect(new Set(cycles).size).toBe(cycles.length);
      }),
      { numRuns: 200 },
    );
  });
  // The offset of a proportional controller (Åström and Murray, Feedback Systems, 2nd ed., section 11.2: the steady error under proportional control; from memory).
  it('holds a plant of the first order where a proportional controller would', () => {
    const plant = { gain: 12, rests: 10, tau: 1800 };
    const [clear, band] = [20, 4];
    let value = plant.rests;
    let last = null as { on: boolean; at: number } | null;
    const seen: number[] = [];
    for (let at = 0; at < 24 * 60 * MIN; at += 1000) {
      const on = isWantedInCycle(shareOf({ band }, 'low', clear, value), 2 * MIN, FREE, 0, last, at);
      if (on !== (last?.on ?? false)) last = { on, at };
      value += ((plant.rests + (on ? plant.gain : 0) - value) / plant.tau) * 1;
      if (at > 12 * 60 * MIN) seen.push(value);
    }
    const mean = seen.reduce((sum, one) => sum + one, 0) / seen.length;
    expect(settlesAt(plant, clear, band)).toBe(17.5);
    expect(Math.abs(mean - 17.5)).toBeLessThan(0.15);
    // On and off by the same limits it would swing by more.
    expect(Math.max(...seen) - Math.min(...seen)).toBeLessThan(0.5);
  });
});
