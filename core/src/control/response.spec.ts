import fc from 'fast-check';
import { fitResponse, simulateControl, switchingCycle, type FittedPlant, type Reading, type Switched } from '.';
import type { ThresholdRule } from '../alarm';

const MIN = 60_000;
/** A repeatable noise of standard deviation 1: a sum of twelve uniform numbers, by a linear congruence (Numerical Recipes, ranqd1). */
function noise(seed: number): () => number {
  let state = seed >>> 0;
  const uniform = (): number => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 32;
  return () => Array.from({ length: 12 }, uniform).reduce((sum, one) => sum + one, -6);
}

interface World {
  readonly tau: number;
  readonly gain: number;
  readonly dead: number;
  readonly rests: number;
  readonly swing?: number;
  readonly sigma?: number;
  readonly hours?: number;
  readonly onMinutes?: number;
  readonly everyMinutes?: number;
}
/** A record made by the closed form of a step response, run by run: an implementation apart from the one under test. */
function recorded({ tau, gain, dead, rests, swing = 0, sigma = 0, hours = 48, onMinutes = 30, everyMinutes = 120 }: World) {
  const next = noise(7);
  const switched: Switched[] = [];
  for (let at = 60 * MIN; at < hours * 60 * MIN; at += everyMinutes * MIN)
    switched.push({ at, on: true }, { at: at + onMinutes * MIN, on: false });
  const readings: Reading[] = Array.from({ length: hours * 60 }, (_, i) => {
    const at = i * MIN;
    const steps = switched
      .filter((one) => one.at + dead * 1000 <= at)
      .reduce((sum, one) => sum + (one.on ? 1 : -1) * (1 - Math.exp(-(at - one.at - dead * 1000) / 1000 / tau)), 0);
    return { at, value: rests + swing * Math.sin((2 * Math.PI * at) / 86_400_000) + gain * steps + sigma * next() };
  });
  return { readings, switched };
}
const fitted = (world: World): FittedPlant => {
  const { readings, switched } = recorded(world);
  const fit = fitResponse(readings, switched);
  if ('refused' in fit) throw new Error(fit.refused);
  return fit.plant;
};

describe('how a plant answers, fitted', () => {
  it('an analytical step response is found again: gain, time constant, dead time, where it rests', () => {
    const plant = fitted({ tau: 1800, gain: 12, dead: 180, rests: 15 });
    expect(plant.gain).toBeCloseTo(12, 1);
    expect(plant.tau).toBeGreaterThan(1770);
    expect(plant.tau).toBeLessThan(1830);
    expect(Math.abs(plant.deadSeconds - 180)).toBeLessThan(20);
    expect(plant.rests).toBeCloseTo(15, 1);
    expect(plant.explained).toBeGreaterThan(0.999);
    expect(plant.runs).toBe(24);
  });
  it('under noise and the swing of a day it is still found, and what is left is the noise', () => {
    const plant = fitted({ tau: 2400, gain: -20, dead: 120, rests: 80, swing: 6, sigma: 0.4, hours: 96 });
    expect(Math.abs(plant.gain + 20)).toBeLessThan(1);
    expect(Math.abs(plant.tau - 2400)).toBeLessThan(240);
    expect(Math.abs(plant.swing - 6)).toBeLessThan(0.3);
    expect(plant.residual).toBeGreaterThan(0.35);
    expect(plant.residual).toBeLessThan(0.45);
  });
  it.each([
    ['too few readings', { readings: [], switched: [] }, /Only 0 good readings/],
    ['a single run', recorded({ tau: 1800, gain: 5, dead: 0, rests: 1, hours: 3 }), /ran once/],
    ['no answer', recorded({ tau: 1800, gain: 0, dead: 0, rests: 20, sigma: 0.5 }), /hardly follows/],
    ['runs between two readings', recorded({ tau: 1800, gain: 5, dead: 0, rests: 1, onMinutes: 1, everyMinutes: 30 }), /too far apart/],
    ['an answer slower than the record', recorded({ tau: 400_000, gain: 500, dead: 0, rests: 1 }), /so slowly|hardly/],
  ])('%s: it says why the record cannot tell', (_, { readings, switched }, why) => {
    const fit = fitResponse(readings, switched);
    expect('refused' in fit && fit.refused).toMatch(why);
  });
  it('what stands still is refused, not divided by', () => {
    const { switched } = recorded({ tau: 1800, gain: 0, dead: 0, rests: 20 });
    const flat = Array.from({ length: 2880 }, (_, i) => ({ at: i * MIN, value: 20 }));
    expect(fitResponse(flat, switched)).toEqual({ refused: expect.stringMatching(/one and the same|hardly follows/) });
  });
});

const GUARDS = { minOnMs: 0, minOffMs: 0, maxRunMs: null, restMs: 0, dailyCapMs: null };
const plantOf = (change: Partial<FittedPlant>): FittedPlant => ({
  ...{ gain: 30, tau: 3600, deadSeconds: 0, rests: 10, swing: 0, residual: 0, explained: 1, runs: 9 },
  ...change,
});
/** On at or below 19.5, off at or above 20.5: the band of the published check. */
const RULE: ThresholdRule = {
  ...{ side: 'low', setpoint: 19.5, deadband: 1, clearLevel: 20.5, onDelayMs: 0, offDelayMs: 0, maxGapMs: null, confirm: 'readings' },
};

describe('a rule against a plant that answers', () => {
  // check-values 10.1-01, -02, -04: τ 3600 s, 10 and 40 °C, band 19.5 to 20.5: on 180.04 s, off 360.30 s, duty 0.3332.
  it('cycles as the closed form says, but for the time between two readings', () => {
    const cycle = switchingCycle({ tau: 3600, on: 40, off: 10 }, 19.5, 20.5)!;
    expect(cycle.periodSeconds).toBeCloseTo(540.34, 1);
    const { periodSeconds, duty, startsPerDay } = simulateControl(plantOf({}), RULE, GUARDS, 1000);
    expect(Math.abs(periodSeconds! - cycle.periodSeconds)).toBeLessThan(3);
    expect(duty).toBeCloseTo(cycle.duty, 2);
    expect((startsPerDay * cycle.periodSeconds) / 86_400).toBeCloseTo(1, 1);
  });
  it('a dead time carries it past where it clears, by the slope times the dead time', () => {
    const at = simulateControl(plantOf({ deadSeconds: 120 }), RULE, GUARDS, 1000);
    // From 20.5 on towards 40 for 120 s: (40 − 20.5)(1 − e^(−120/3600)).
    expect(at.overshoot).toBeGreaterThan(0.6);
    expect(at.overshoot).toBeLessThan(0.7);
    expect(simulateControl(plantOf({}), RULE, GUARDS, 1000).overshoot).toBeLessThan(0.02);
  });
  it('guards hold: starts by the least time off, runs by the longest, rest after it', () => {
    const slow = simulateControl(plantOf({}), RULE, { ...GUARDS, minOffMs: 1_800_000 }, 10_000);
    expect(slow.periodSeconds).toBeGreaterThanOrEqual(1800);
    expect(slow.lowest).toBeLessThan(19);
    const short = simulateControl(plantOf({ gain: 11 }), RULE, { ...GUARDS, maxRunMs: 600_000, restMs: 600_000 }, 10_000);
    expect(short.duty).toBeLessThanOrEqual(0.51);
    expect(short.guardedPerDay).toBeGreaterThan(10);
  });
  it('what never gets there runs without an end, and what needs nothing never starts', () => {
    expect(simulateControl(plantOf({ gain: 5 }), RULE, GUARDS, 10_000)).toMatchObject({ duty: 1, overshoot: 0, periodSeconds: null });
    expect(simulateControl(plantOf({ rests: 22 }), RULE, GUARDS, 10_000)).toMatchObject({ duty: 0, startsPerDay: 0, overshoot: 0 });
  });
  it('whatever the plant and the guards, no run is longer than its longest and no rest shorter than its least', () => {
    fc.assert(
      fc.property(
        fc.record({
          gain: fc.double({ min: 5, max: 60, noNaN: true }),
          tau: fc.integer({ min: 300, max: 20_000 }),
          deadSeconds: fc.integer({ min: 0, max: 600 }),
        }),
        fc.integer({ min: 1, max: 30 }),
        fc.integer({ min: 0, max: 30 }),
        (plant, run, off) => {
          const guards = { ...GUARDS, maxRunMs: run * MIN, restMs: off * MIN, minOffMs: off * MIN };
          const { trace } = simulateControl(plantOf(plant), RULE, guards, 60_000);
          let since = 0;
          for (const [i, { at, on }] of trace.entries()) {
            if (on && trace[i - 1]?.on === true) expect(at - since).toBeLessThanOrEqual(run * MIN + 60_000);
            else if (on) since = at;
          }
        },
      ),
      { numRuns: 25 },
    );
  });
});
