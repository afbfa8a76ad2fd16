import { pino } from 'pino';
import type { Engine } from '../engine/engine';
import type { Hub } from '../events/hub';
import type { PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { Nodes } from '../nodes/nodes';
import { Holds } from './holds';

const NOW = Date.UTC(2026, 10, 24, 12);
/** A point with one rule, and an engine that writes what it is asked to, or fails so many times first. */
function house(heldUntil: number | null, fails = 0) {
  const node = { name: 'bed-1', points: new Map() } as unknown as PointEntry['node'];
  const point = { id: 7, node, name: 'soil', body: { derived: null }, heldUntil, calibrations: [] } as unknown as PointEntry;
  const whys: string[] = [];
  const engine = {
    changeThresholds: (_ids: number[], why: string) => {
      if (fails-- > 0) return Promise.reject(new Error('the database is away'));
      whys.push(why);
      point.heldUntil = null;
      return Promise.resolve();
    },
  } as unknown as Engine;
  const registry = { points: new Map([[7, point]]), thresholdsWith: () => [], restingOn: () => [point] } as unknown as Registry;
  const holds = new Holds({ registry, engine, nodes: {} as Nodes, hub: {} as Hub, log: pino({ level: 'silent' }) });
  return { point, holds, whys };
}

describe('what is held', () => {
  beforeEach(() => jest.useFakeTimers({ now: NOW }));
  afterEach(() => jest.useRealTimers());

  it('goes on by itself when its time is over, not before', async () => {
    const { point, holds, whys } = house(NOW + 60_000);
    holds.load();
    await jest.advanceTimersByTimeAsync(59_000);
    expect([point.heldUntil, whys]).toEqual([NOW + 60_000, []]);
    await jest.advanceTimersByTimeAsync(1500);
    expect([point.heldUntil, whys]).toEqual([null, ['its rules go on']]);
  });
  it('goes on at once where its time was over while the server was down', async () => {
    const { point, holds } = house(NOW - 60_000);
    holds.load();
    await jest.advanceTimersByTimeAsync(1);
    expect(point.heldUntil).toBeNull();
  });
  it('is let go although the database was away: tried until it is done', async () => {
    const { point, holds, whys } = house(NOW + 1000, 2);
    holds.load();
    await jest.advanceTimersByTimeAsync(1500);
    expect(point.heldUntil).not.toBeNull();
    await jest.advanceTimersByTimeAsync(21_000);
    expect([point.heldUntil, whys]).toEqual([null, ['its rules go on']]);
  });
  it('let go by hand in vain, it still ends by itself', async () => {
    const { point, holds } = house(NOW + 60_000, 1);
    holds.load();
    await expect(holds.letGo(point, 'millwright')).rejects.toThrow('the database is away');
    await jest.advanceTimersByTimeAsync(61_000);
    expect(point.heldUntil).toBeNull();
  });
  it('what stops asks nobody any more', async () => {
    const { holds, whys } = house(NOW + 1000);
    holds.load();
    holds.stop();
    await jest.advanceTimersByTimeAsync(60_000);
    expect(whys).toEqual([]);
  });
});
