import { Pace } from './pace';

describe('pacing', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());

  it('keeps to so many at once and so far apart, in order, and refuses when the line is too long', async () => {
    const pace = new Pace({ atOnce: 2, apartMs: 20, inLine: 4 });
    const begun: { n: number; at: number }[] = [];
    let underWay = 0;
    let most = 0;
    const turns = Array.from(
      { length: 8 },
      (_, n) =>
        pace.turn()?.then(async (done) => {
          begun.push({ n, at: Date.now() });
          most = Math.max(most, ++underWay);
          await new Promise((resolve) => setTimeout(resolve, 60));
          underWay--;
          done();
          done(); // said twice, counted once
        }) ?? null,
    );
    const began = Date.now();
    await jest.advanceTimersByTimeAsync(1000);
    await Promise.all(turns.filter((turn) => turn !== null));
    expect(turns.filter((turn) => turn === null)).toHaveLength(3);
    expect(most).toBe(2);
    // Two at once for 60 ms each, 20 ms apart at least.
    expect(begun.map(({ n, at }) => [n, at - began])).toEqual([
      [0, 0],
      [1, 20],
      [2, 60],
      [3, 80],
      [4, 120],
    ]);
  });
});
