import type { LiveEvent } from '@dewpost/contract';
import { Hub, type Frame } from './hub';

const reading = (at: number): LiveEvent => ({ type: 'readings', readings: [[1, at, 20, 'good', null]] });
const status = (readingsPerMinute: number): LiveEvent => ({
  type: 'status',
  status: {
    broker: 'ok',
    database: 'ok',
    readingsPerMinute,
    nodesHeard: 0,
    nodesWritten: 0,
    standins: 'off',
    nodePages: null,
    untold: 0,
    clockSet: null,
    time: 0,
  },
});

describe('frames of the live stream', () => {
  beforeEach(() => void jest.useFakeTimers());
  afterEach(() => void jest.useRealTimers());
  const frames = (hub: Hub): Frame[] => {
    const seen: Frame[] = [];
    hub.listen((frame) => seen.push(frame));
    return seen;
  };

  it('gather a quarter of a second: no reading is lost, of states only the newest goes out', () => {
    const hub = new Hub();
    const seen = frames(hub);
    hub.publish([reading(1), status(1)]);
    jest.advanceTimersByTime(100);
    hub.publish([status(2), reading(2)]);
    jest.advanceTimersByTime(149);
    expect(seen).toHaveLength(0);
    jest.advanceTimersByTime(1);
    expect(seen[0]!.events).toEqual([
      {
        type: 'readings',
        readings: [
          [1, 1, 20, 'good', null],
          [1, 2, 20, 'good', null],
        ],
      },
      status(2),
    ]);
  });

  it('go on after any id that is still known; an unknown, foreign or too old one means starting anew', () => {
    const hub = new Hub();
    const begin = hub.id;
    for (let i = 1; i <= 1100; i++) {
      hub.publish([reading(i)]);
      jest.advanceTimersByTime(250);
    }
    expect(hub.since(hub.id)).toEqual([]);
    expect(hub.since(`${hub.boot}-1099`)!.map((frame) => frame.sequence)).toEqual([1100]);
    expect(hub.since(`${hub.boot}-100`)).toHaveLength(1000);
    for (const bad of [begin, `${hub.boot}-99`, `${hub.boot}-1101`, 'other-5', '', 'nonsense']) expect(hub.since(bad)).toBeNull();
  });

  it('keep no more readings than there is room for, however few frames that leaves', () => {
    const hub = new Hub();
    const many: LiveEvent = {
      type: 'readings',
      readings: Array.from({ length: 25_000 }, (_, i) => [1, i, 20, 'good', null] as [number, number, number, 'good', null]),
    };
    for (let i = 0; i < 4; i++) {
      hub.publish([many]);
      jest.advanceTimersByTime(250);
    }
    expect(hub.since(`${hub.boot}-2`)).toHaveLength(2);
    expect(hub.since(`${hub.boot}-1`)).toBeNull();
  });
});
