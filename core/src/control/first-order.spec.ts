import { contactYears, cyclesPerDay, movedWithin, shortestPeriodSeconds, smallBandPeriodSeconds, switchingCycle } from './first-order';

const plant = { tau: 3600, on: 40, off: 10 };

describe('a plant that is switched on and off', () => {
  it('cycles as its own equation does when it is run through in small steps', () => {
    const cycle = switchingCycle(plant, 19.5, 20.5)!;
    let [value, on, t] = [19.5, true, 0];
    const switched: number[] = [];
    for (; switched.length < 3; t += 0.5) {
      value += (((on ? plant.on : plant.off) - value) / plant.tau) * 0.5;
      if (on ? value >= 20.5 : value <= 19.5) {
        switched.push(t);
        on = !on;
      }
    }
    expect(Math.abs(switched[0]! - cycle.onSeconds)).toBeLessThan(2);
    expect(Math.abs(switched[2]! - switched[1]! - cycle.onSeconds)).toBeLessThan(2);
    expect(Math.abs(switched[1]! - switched[0]! - cycle.offSeconds)).toBeLessThan(2);
  });
  it('never switches where it does not get to a level, and that is said rather than computed', () => {
    for (const [low, high] of [
      [9, 12],
      [38, 40],
      [20, 20],
      [21, 20],
    ] as const)
      expect(switchingCycle(plant, low, high)).toBeNull();
    expect(switchingCycle({ ...plant, tau: 0 }, 19, 20)).toBeNull();
  });
  it('the shortest period is at half duty, and small bands are near their simple form', () => {
    const { exact } = shortestPeriodSeconds(3600, 30, 1);
    for (const middle of [15, 20, 30]) expect(switchingCycle(plant, middle - 0.5, middle + 0.5)!.periodSeconds).toBeGreaterThan(exact);
    expect(switchingCycle(plant, 24.5, 25.5)!.periodSeconds).toBeCloseTo(exact, 6);
    expect(Math.abs(smallBandPeriodSeconds(plant, 20, 1) / switchingCycle(plant, 19.5, 20.5)!.periodSeconds - 1)).toBeLessThan(0.001);
    expect(movedWithin(3600, 20, 1e9)).toBeCloseTo(20, 9);
    expect(contactYears(100_000, cyclesPerDay(480))).toBeCloseTo(1.52, 2);
  });
});
