import { Pace } from './pace';

describe('pacing', () => {
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
    await Promise.all(turns.filter((turn) => turn !== null));
    expect(turns.filter((turn) => turn === null).length).toBeGreaterThanOrEqual(3);
    expect(begun.map(({ n }) => n)).toEqual([...begun.map(({ n }) => n)].sort((a, b) => a - b));
    expect(most).toBe(2);
    for (const [i, { at }] of begun.entries()) if (i > 0) expect(at - begun[i - 1]!.at).toBeGreaterThanOrEqual(19);
  });
});
