/** The shortest and the longest that a node may be silent between reports, s. */
const SHORTEST_SECONDS = 1;
export const LONGEST_SECONDS = 21_600;
/** Steps of the slider; each is the same factor. */
export const SLIDER_STEPS = 1000;
const ROUND = [1, 2, 5, 10, 15, 20, 30, 60, 120, 300, 600, 900, 1200, 1800, 3600, 7200, 10_800, 21_600];

/** Where an interval stands on the slider, 0 to `SLIDER_STEPS`. */
export const stepOf = (seconds: number): number =>
  Math.round((SLIDER_STEPS * Math.log(seconds / SHORTEST_SECONDS)) / Math.log(LONGEST_SECONDS / SHORTEST_SECONDS));

/** The round interval that is nearest to a place on the slider, s. */
export function secondsAt(step: number): number {
  const seconds = SHORTEST_SECONDS * (LONGEST_SECONDS / SHORTEST_SECONDS) ** (step / SLIDER_STEPS);
  return ROUND.reduce((a, b) => (Math.abs(Math.log(b / seconds)) < Math.abs(Math.log(a / seconds)) ? b : a));
}

/** Steps of the events' slider: fine where they are few. */
export const EVENT_STEPS = 500;
export const eventStepOf = (eventsPerDay: number): number => Math.round((EVENT_STEPS * Math.log10(1 + eventsPerDay)) / 4);
export function eventsAt(step: number): number {
  const count = 10 ** ((4 * step) / EVENT_STEPS) - 1;
  return Math.min(9999, count < 20 ? Math.round(count) : Math.round(count / 10) * 10);
}
