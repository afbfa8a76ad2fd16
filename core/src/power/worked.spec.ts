import {
  averageMilliamps,
  autonomyDays,
  batteryDays,
  daylightHours,
  panelNeededWatts,
  panelWattHours,
  periodOfResistor,
  sunsetHourAngle,
} from '.';

// Worked by hand, or taken from the source named beside each; what the long-term simulations stand on.
describe('by hand and by the book', () => {
  it('daylight: FAO-56 example 9, 3 September at 20° south: sunset hour angle 1.527 rad, 11.7 h (from memory); twelve hours at the equator', () => {
    expect(sunsetHourAngle(-20, 246)).toBeCloseTo(1.527, 3);
    expect(daylightHours(-20, 246)).toBeCloseTo(11.7, 1);
    for (const day of [1, 80, 172, 355]) expect(daylightHours(0, day)).toBeCloseTo(12, 10);
    expect(daylightHours(80, 172)).toBe(24);
    expect(daylightHours(80, 355)).toBe(0);
  });

  it('a battery without self-discharge: 2000 mAh, nine tenths of it, at 10 mA is 180 h; with it, less', () => {
    expect(batteryDays(2000, 0.9, 10, 0)).toBe(7.5);
    expect(batteryDays(2000, 0.9, 10, 0.1)).toBeLessThan(7.5);
    // dQ/dt = −I − λQ, added up by the minute.
    const lambda = -Math.log(1 - 0.3) / 8766;
    let [charge, hours] = [500, 0];
    for (const step = 1 / 60; charge > 0; hours += step) charge -= (0.05 + lambda * charge) * step;
    expect(batteryDays(1000, 0.5, 0.05, 0.3)).toBeCloseTo(hours / 24, 1);
  });

  it('a cycle: 100 mA for 2 s and 0.1 mA for 58 s are 3.43 mA', () => {
    expect(
      averageMilliamps([
        { milliamps: 100, seconds: 2 },
        { milliamps: 0.1, seconds: 58 },
      ]),
    ).toBeCloseTo(205.8 / 60, 12);
    expect(averageMilliamps([])).toBeNaN();
  });

  it('a panel: 24 Wh a day, a quarter more for safety, 2.5 h of sun at 0.6 are 20 W; 20 W give 30 Wh; 120 Wh to half last 2.5 days', () => {
    expect(panelNeededWatts(24, 2.5, 0.6, 1.25)).toBeCloseTo(20, 12);
    expect(panelWattHours(20, 2.5, 0.6)).toBeCloseTo(30, 12);
    expect(autonomyDays(120, 0.5, 24)).toBe(2.5);
  });
});

describe('what a fitted resistor gives', () => {
  it('nothing below the shortest period and nothing beyond the longest; both ends are in', () => {
    expect(periodOfResistor(100)).toBeNull();
    expect(periodOfResistor(10_000_000)).toBeNull();
    // Up from nothing, the first that gives a period gives about a second; the last gives two hours.
    const fitted = Array.from({ length: 4000 }, (_, i) => 100 * 1.0032 ** i).map((ohms) => ({ ohms, seconds: periodOfResistor(ohms) }));
    const given = fitted.filter((one) => one.seconds !== null);
    expect(given[0]!.seconds!).toBeCloseTo(1, 0);
    expect(given.at(-1)!.seconds! / 7200).toBeCloseTo(1, 1);
    // In one piece: nothing between the ends is refused.
    const first = fitted.indexOf(given[0]!);
    expect(fitted.slice(first, first + given.length)).toEqual(given);
  });
});
