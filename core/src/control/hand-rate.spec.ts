import { HAND_SWITCHES, handWaitMs } from '.';

it('a hand switches on six times in a minute, and then waits until the first of them is a minute old', () => {
  expect(HAND_SWITCHES).toEqual({ most: 6, withinMs: 60_000 });
  const times = [0, 1, 2, 3, 4].map((second) => second * 1000);
  expect(handWaitMs(times, 5000)).toBe(0);
  expect(handWaitMs([...times, 5000], 6000)).toBe(54_000);
  expect(handWaitMs([...times, 5000], 60_000)).toBe(0);
  expect(handWaitMs([...times, 5000, 60_000], 60_500)).toBe(500);
  expect(handWaitMs([], 0)).toBe(0);
});
