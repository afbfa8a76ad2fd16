import type { Database } from '../database/connect';
import { DayCache } from './history';

describe('the day of every point', () => {
  const row = (id: number) => ({ point_id: id, low: 1, high: 2, base_at: null, base: null });
  const database = (asked: number[][], answer: (points: number[]) => Promise<number[]>): Database =>
    ({
      raw: async (_: string, [points]: [number[]]) => {
        asked.push(points);
        return { rows: (await answer(points)).map(row) };
      },
    }) as unknown as Database;

  it('is read once for all pages that open within half a minute, and anew after it', async () => {
    const asked: number[][] = [];
    const store = database(asked, async (points) => points);
    const cache = new DayCache();
    await Promise.all(Array.from({ length: 20 }, () => cache.of(store, [1, 2], 1_000)));
    expect(asked).toEqual([[1, 2]]);
    await cache.of(store, [1, 2], 30_999);
    expect(asked).toHaveLength(1);
    await cache.of(store, [1, 2], 31_000);
    expect(asked).toEqual([
      [1, 2],
      [1, 2],
    ]);
  });
  it('of a point that is new since then is looked up by itself', async () => {
    const asked: number[][] = [];
    const store = database(asked, async (points) => points);
    const cache = new DayCache();
    await cache.of(store, [1], 0);
    expect([...(await cache.of(store, [1, 3], 10)).keys()]).toEqual([1, 3]);
    expect(asked).toEqual([[1], [3]]);
    // A page with few points that opened first does not make the pages after it read theirs again.
    await cache.of(store, [1, 3], 20);
    expect(asked).toHaveLength(2);
  });
  it('is asked for again after the database failed, whatever the time', async () => {
    const asked: number[][] = [];
    let down = true;
    const store = database(asked, async (points) => {
      if (down) throw new Error('no connection');
      return points;
    });
    const cache = new DayCache();
    await expect(cache.of(store, [1], 0)).rejects.toThrow('no connection');
    down = false;
    expect((await cache.of(store, [1], 1)).size).toBe(1);
  });
});
