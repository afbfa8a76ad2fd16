import { batteryLow, judgeControl } from '.';

const AT = Date.UTC(2026, 10, 27);
const seen = (change: object) => ({ side: 'low' as const, tripped: 24, newest: 24, since: AT, now: AT, ...change });
const WANTED = { by: 2, withinSeconds: 240 };

describe('a control', () => {
  it('that ran 4 min and moved 0.1 % fails, with its figures', () => {
    expect(judgeControl(WANTED, seen({ newest: 24.1, now: AT + 240_000 }))).toEqual({
      state: 'fails',
      moved: expect.closeTo(0.1, 9) as number,
      seconds: 240,
    });
  });
  it('has its time, and answers as soon as it has moved enough, the right way', () => {
    expect(judgeControl(WANTED, seen({ newest: 24.1, now: AT + 239_000 }))).toEqual({ state: 'waits' });
    expect(judgeControl(WANTED, seen({ newest: 26, now: AT + 10_000 }))).toMatchObject({ state: 'answers', moved: 2 });
    expect(judgeControl(WANTED, seen({ side: 'high', newest: 21, now: AT + 900_000 }))).toMatchObject({ state: 'answers', moved: 3 });
    // The wrong way is no answer, however far.
    expect(judgeControl(WANTED, seen({ newest: 10, now: AT + 900_000 }))).toMatchObject({ state: 'fails', moved: -14 });
    expect(judgeControl(WANTED, seen({ since: AT + 60_000, now: AT }))).toEqual({ state: 'waits' });
  });
});

describe('a battery', () => {
  it('is low at its mark, and no longer only well above it', () => {
    expect([3.01, 3, 2.9].map((volts) => batteryLow(volts, 3, false))).toEqual([false, true, true]);
    expect([3.05, 3.09, 3.1].map((volts) => batteryLow(volts, 3, true))).toEqual([true, true, false]);
  });
});
