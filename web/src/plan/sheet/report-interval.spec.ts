import { lifetime } from './lifetime';
import { EVENT_STEPS, eventsAt, eventStepOf, LONGEST_SECONDS, secondsAt, SLIDER_STEPS, stepOf } from './report-interval';

describe('sliders of a sheet', () => {
  it('lead over round intervals, each back to where it stands', () => {
    const round = [1, 2, 5, 10, 15, 20, 30, 60, 120, 300, 600, 900, 1200, 1800, 3600, 7200, 10_800, LONGEST_SECONDS];
    for (const seconds of round) expect([seconds, secondsAt(stepOf(seconds))]).toEqual([seconds, seconds]);
    const met = new Set(Array.from({ length: SLIDER_STEPS + 1 }, (_, step) => secondsAt(step)));
    expect([...met].sort((a, b) => a - b)).toEqual(round);
  });
  it('never lead back: a step on is no shorter interval, and no fewer events', () => {
    for (let step = 1; step <= SLIDER_STEPS; step++) expect(secondsAt(step)).toBeGreaterThanOrEqual(secondsAt(step - 1));
    for (let step = 1; step <= EVENT_STEPS; step++) expect(eventsAt(step)).toBeGreaterThanOrEqual(eventsAt(step - 1));
  });
  it('count events one by one where they are few, and end below ten thousand', () => {
    expect([0, 1, 2, 5, 12].map((count) => eventsAt(eventStepOf(count)))).toEqual([0, 1, 2, 5, 12]);
    expect([eventsAt(0), eventsAt(EVENT_STEPS)]).toEqual([0, 9999]);
  });
});

describe('how long something lasts', () => {
  it.each([
    [0.5, '12 hours'],
    [1.99, '48 hours'],
    [2, '2.0 days'],
    [18, '18 days'],
    [89, '89 days'],
    [91.32, '3 months'],
    [729, '24 months'],
    [1461, '4.0 years'],
  ])('%d days is said as %s', (days, words) => expect(lifetime(days)).toBe(words));
});
