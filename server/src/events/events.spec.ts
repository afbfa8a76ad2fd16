import { pino } from 'pino';
import { Events } from './events';

interface Kinds {
  arrived: number;
  left: string;
}

describe('events', () => {
  const logged: string[] = [];
  const log = pino({ level: 'error' }, { write: (line: string) => void logged.push(line) });
  const open = (): Events<Kinds> => new Events<Kinds>(log);
  beforeEach(() => void (logged.length = 0));

  it('reach everybody who hears of their kind, in the order they came, and nobody else', async () => {
    const events = open();
    const heard: string[] = [];
    events.on('arrived', (n) => void heard.push(`first ${n}`));
    events.on('arrived', (n) => void heard.push(`second ${n}`));
    events.on('left', () => void heard.push('left'));
    await events.settle('arrived', 3);
    events.tell('arrived', 4);
    expect(heard).toEqual(['first 3', 'second 3', 'first 4', 'second 4']);
  });
  it('are heard no more once somebody has stopped', async () => {
    const events = open();
    const heard: number[] = [];
    const stop = events.on('arrived', (n) => void heard.push(n));
    await events.settle('arrived', 1);
    stop();
    await events.settle('arrived', 2);
    expect(heard).toEqual([1]);
  });
  it('are waited for when asked, and an error comes back only after all have heard', async () => {
    const events = open();
    const heard: string[] = [];
    events.on('left', () => Promise.reject(new Error('the first cannot')));
    events.on('left', async () => {
      await Promise.resolve();
      heard.push('the second did');
    });
    await expect(events.settle('left', 'x')).rejects.toThrow('the first cannot');
    expect(heard).toEqual(['the second did']);
  });
  it('told without waiting, an error is logged and keeps nobody else from hearing', async () => {
    const events = open();
    const heard: string[] = [];
    events.on('left', () => {
      throw new Error('at once');
    });
    events.on('left', () => Promise.reject(new Error('later')));
    events.on('left', (what) => void heard.push(what));
    expect(() => events.tell('left', 'y')).not.toThrow();
    await new Promise((done) => setImmediate(done));
    expect(heard).toEqual(['y']);
    expect(logged.map((line) => (JSON.parse(line) as { err: { message: string } }).err.message)).toEqual(['at once', 'later']);
  });
});
