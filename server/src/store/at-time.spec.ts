import { pino } from 'pino';
import { AtTime } from './at-time';

describe('work that is due at a time', () => {
  const log = pino({ level: 'silent' });
  beforeEach(() => jest.useFakeTimers({ now: 1_800_000_000_000 }));
  afterEach(() => jest.useRealTimers());

  it('is done then, at once where it is past, and once only', async () => {
    const due = new AtTime<string>(log, 'failed');
    const done: string[] = [];
    due.set('later', Date.now() + 5000, () => Promise.resolve(done.push('later')));
    due.set('past', Date.now() - 5000, () => Promise.resolve(done.push('past')));
    await jest.advanceTimersByTimeAsync(1);
    expect(done).toEqual(['past']);
    await jest.advanceTimersByTimeAsync(60_000);
    expect(done).toEqual(['past', 'later']);
  });
  it('is what was set last for its key, and nothing once it is taken away', async () => {
    const due = new AtTime<string>(log, 'failed');
    const done: string[] = [];
    due.set('a', Date.now() + 1000, () => Promise.resolve(done.push('first')));
    due.set('a', Date.now() + 2000, () => Promise.resolve(done.push('second')));
    due.set('b', Date.now() + 1000, () => Promise.resolve(done.push('taken')));
    due.clear('b');
    await jest.advanceTimersByTimeAsync(5000);
    expect(done).toEqual(['second']);
    due.set('a', Date.now() + 1000, () => Promise.resolve(done.push('stopped')));
    due.stop();
    await jest.advanceTimersByTimeAsync(5000);
    expect(done).toEqual(['second']);
  });
  it('is tried again until it is done, and waits for weeks', async () => {
    const due = new AtTime<string>(log, 'failed');
    let tries = 0;
    const weeks = 3 * 7 * 86_400_000;
    due.set('a', Date.now() + weeks, () => (++tries < 3 ? Promise.reject(new Error('no database')) : Promise.resolve()));
    await jest.advanceTimersByTimeAsync(weeks - 1);
    expect(tries).toBe(0);
    await jest.advanceTimersByTimeAsync(60_000);
    expect(tries).toBe(3);
  });
});
