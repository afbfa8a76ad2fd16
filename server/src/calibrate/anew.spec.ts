import { pino } from 'pino';
import type { Database } from '../database/connect';
import type { HouseEvents } from '../model/house-events';
import type { PointEntry } from '../model/entries';
import { Anew } from './anew';
import { reconvert } from './convert-anew';
import { deriveAnew } from './derive-anew';

jest.mock('./convert-anew', () => ({ reconvert: jest.fn() }));
jest.mock('./derive-anew', () => ({ deriveAnew: jest.fn(() => Promise.resolve()) }));

type Hooks = NonNullable<Parameters<typeof reconvert>[4]>;
/** A run of the converter that a test leads: stretch by stretch, until it lets it end. */
interface Led {
  hooks: Hooks;
  from: number;
  end(): void;
  fail(why: string): void;
}
const led: Led[] = [];

function house() {
  const settled: number[] = [];
  const told: number[] = [];
  const database = (() => ({
    where: ({ version }: { version: number }) => ({
      update: () => {
        settled.push(version);
        return Promise.resolve(1);
      },
    }),
  })) as unknown as Database;
  const events = { settle: (_: string, { from }: { from: number }) => Promise.resolve(void told.push(from)) } as unknown as HouseEvents;
  const node = { points: new Map() } as unknown as PointEntry['node'];
  const point = { id: 7, name: 'soil', node, body: { raw: null }, calibrations: [] } as unknown as PointEntry;
  return { anew: new Anew({ database, events, log: pino({ level: 'silent' }) }), point, settled, told };
}
const turn = async (): Promise<void> => {
  for (let i = 0; i < 20; i++) await Promise.resolve();
};

beforeEach(() => {
  led.splice(0);
  jest
    .mocked(reconvert)
    .mockImplementation(
      (_database, _point, _versions, from, hooks = {}) =>
        new Promise((resolve, reject) => led.push({ hooks, from, end: () => resolve(0), fail: (why) => reject(new Error(why)) })),
    );
  jest.mocked(deriveAnew).mockClear();
});
afterEach(() => jest.useRealTimers());

describe('records that are converted anew', () => {
  it('say how far they are, are settled at their end and told of once; nothing changed is told to nobody', async () => {
    const { anew, point, settled, told } = house();
    const run = anew.begin(point, 2, 1000);
    await turn();
    expect([anew.shareOf(point, 2), anew.shareOf(point, 1)]).toEqual([0, null]);
    led[0]!.hooks.progress?.(0.4, 300);
    led[0]!.hooks.progress?.(0.8, 200);
    expect([anew.shareOf(point, 2), run.changed, settled]).toEqual([0.8, 500, []]);
    led[0]!.end();
    await run.done;
    expect([settled, told, anew.shareOf(point, 2)]).toEqual([[2], [1000], null]);
    const nothing = anew.begin(point, 3, 2000);
    await turn();
    led[1]!.end();
    await nothing.done;
    expect([settled, told]).toEqual([[2, 3], [1000]]);
  });

  it('come one after the other at a point', async () => {
    const { anew, point } = house();
    anew.begin(point, 1, 1000);
    anew.begin(point, 2, 2000);
    await turn();
    expect(led.map(({ from }) => from)).toEqual([1000]);
    led[0]!.end();
    await turn();
    expect(led.map(({ from }) => from)).toEqual([1000, 2000]);
  });

  it('one that another waits behind says how far it is all the same, and ends when it is called off or the server does', async () => {
    const { anew, point, settled } = house();
    anew.begin(point, 1, 1000);
    anew.begin(point, 2, 2000);
    await turn();
    led[0]!.hooks.progress?.(0.4, 0);
    expect([anew.shareOf(point, 1), anew.shareOf(point, 2)]).toEqual([0.4, 0]);
    anew.callOff(point, 1);
    expect(led[0]!.hooks.signal?.aborted).toBe(true);
    led[0]!.end();
    await turn();
    const third = anew.begin(point, 3, 3000);
    const stopped = anew.stop();
    expect(led[1]!.hooks.signal?.aborted).toBe(true);
    led[1]!.end();
    await Promise.all([stopped, third.done]);
    // What waited was never begun.
    expect([settled, led.length]).toEqual([[], 2]);
  });

  it('one that is called off ends between two stretches and is not settled; what it did is told, and what follows goes on', async () => {
    const { anew, point, settled, told } = house();
    anew.begin(point, 1, 1000);
    await turn();
    led[0]!.hooks.progress?.(0.4, 300);
    anew.callOff(point, 9);
    expect(led[0]!.hooks.signal?.aborted).toBe(false);
    anew.callOff(point, 1);
    expect(led[0]!.hooks.signal?.aborted).toBe(true);
    const after = anew.begin(point, 1, 1000);
    led[0]!.end();
    await turn();
    expect([settled, told, jest.mocked(deriveAnew).mock.calls.length]).toEqual([[], [1000], 0]);
    led[1]!.end();
    await after.done;
    expect(settled).toEqual([1]);
  });

  it('a failure is tried again until it is done', async () => {
    jest.useFakeTimers();
    const { anew, point, settled } = house();
    const run = anew.begin(point, 1, 1000);
    await turn();
    led[0]!.fail('the database is away');
    await jest.advanceTimersByTimeAsync(9000);
    expect(led).toHaveLength(1);
    await jest.advanceTimersByTimeAsync(2000);
    led[1]!.end();
    await run.done;
    expect(settled).toEqual([1]);
  });

  it('at the end of the server what is under way ends and stays unsettled: it goes on at the next start', async () => {
    const { anew, point, settled, told } = house();
    anew.begin(point, 1, 1000);
    await turn();
    led[0]!.hooks.progress?.(0.4, 300);
    const stopped = anew.stop();
    led[0]!.end();
    await stopped;
    expect([settled, told]).toEqual([[], []]);
    // What only waited to be tried again ends at once.
    const other = house();
    other.anew.begin(other.point, 1, 1000);
    await turn();
    led[1]!.fail('the database is away');
    await turn();
    await other.anew.stop();
    expect(other.settled).toEqual([]);
  });
});
