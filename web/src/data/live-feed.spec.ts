import { TestBed } from '@angular/core/testing';
import { Store } from '@ngrx/store';
import { Api, ApiError } from './api';
import { LiveActions } from './live.actions';
import { LiveFeed } from './live-feed';
import type { LiveMessage } from './live-connection';

/** A shared worker whose other end is the test. */
class FakeWorker {
  readonly told: unknown[] = [];
  readonly port = {
    onmessage: (_event: { data: LiveMessage }): void => undefined,
    postMessage: (message: unknown): void => void this.told.push(message),
  };
  say(message: LiveMessage): void {
    this.port.onmessage({ data: message });
  }
}

let worker: FakeWorker;
jest.mock('./live-worker-port', () => ({ openLiveWorker: () => worker }));

const frame = (sequence: number, value: number, boot = 'aa'): LiveMessage => ({
  kind: 'frame',
  boot,
  sequence,
  events: [{ type: 'readings', readings: [[1, sequence, value, 'good', null]] }],
});
const tick = (): Promise<void> => new Promise((resolve) => setTimeout(resolve));

describe('the live feed', () => {
  let dispatched: { type: string }[];
  let answer: () => Promise<unknown>;
  let feed: LiveFeed;
  const seen = (): number[] =>
    dispatched
      .flatMap((action) => (action as unknown as { events?: { readings: number[][] }[] }).events ?? [])
      .map((event) => event.readings[0]?.[2] ?? NaN);

  beforeEach(() => {
    dispatched = [];
    answer = () => Promise.resolve({ live: 'aa-5' });
    worker = new FakeWorker();
    (globalThis as { SharedWorker?: unknown }).SharedWorker = FakeWorker;
    TestBed.configureTestingModule({
      providers: [
        { provide: Store, useValue: { dispatch: (action: { type: string }) => dispatched.push(action) } },
        { provide: Api, useValue: { call: () => answer() } },
      ],
    });
    feed = TestBed.inject(LiveFeed);
  });

  it('holds frames that come before the snapshot, drops what the snapshot has already, and takes the rest once', async () => {
    void feed.open();
    worker.say(frame(5, 50));
    worker.say(frame(6, 60));
    await tick();
    worker.say(frame(6, 60));
    worker.say(frame(7, 70));
    expect(dispatched[0]?.type).toBe(LiveActions.snapshotLoaded.type);
    expect(seen()).toEqual([60, 70]);
    expect(worker.told).toEqual([{ kind: 'open', from: 'aa-5' }]);
  });
  it('fetches a snapshot anew when its place in the stream is gone, and traces are told', async () => {
    void feed.open();
    await tick();
    let restarted = 0;
    feed.restarted.subscribe(() => restarted++);
    answer = () => Promise.resolve({ live: 'bb-1' });
    worker.say({ kind: 'reset' });
    await tick();
    worker.say(frame(1, 10, 'bb'));
    worker.say(frame(2, 20, 'bb'));
    expect([restarted, seen()]).toEqual([1, [20]]);
  });
  it('says so when the link is lost, when the session has ended and when the snapshot cannot be read', async () => {
    void feed.open();
    await tick();
    worker.say({ kind: 'link', connected: false });
    worker.say({ kind: 'ended' });
    expect(dispatched.slice(-2).map((action) => action.type)).toEqual([LiveActions.linkChanged.type, LiveActions.sessionEnded.type]);
    answer = () => Promise.reject(new ApiError(401, 'Sign in first.'));
    worker.say({ kind: 'reset' });
    await tick();
    expect(dispatched.at(-1)?.type).toBe(LiveActions.sessionEnded.type);
  });
});
