import type { SignalPort } from '@dewpost/core/rom-loader';
import { Listener, MOST_LINES } from './listener';
import { asText, linesWith, rowsOf } from './listen-rows';

class FakePort implements SignalPort {
  hear: (bytes: Uint8Array) => void = () => undefined;
  end: (why: string) => void = () => undefined;
  readonly done: string[] = [];
  write = (): void => void this.done.push('write');
  onBytes = (listener: (bytes: Uint8Array) => void): void => void (this.hear = listener);
  onClosed = (listener: (why: string) => void): void => void (this.end = listener);
  close = (): void => void this.done.push('close');
  signals = (dtr: boolean, rts: boolean): Promise<void> => Promise.resolve(void this.done.push(`dtr ${dtr} rts ${rts}`));
  rate = (baud: number): Promise<void> => Promise.resolve(void this.done.push(`rate ${baud}`));
  says = (text: string): void => this.hear(new TextEncoder().encode(text));
}

describe('listening at a port', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());
  const open = (): [Listener, FakePort] => {
    const [listener, port] = [new Listener(() => 1000), new FakePort()];
    listener.take(port, 'any');
    return [listener, port];
  };
  const texts = (listener: Listener): string[] => listener.lines().map(({ text }) => text);

  it('gives lines with what they mean, in pieces however they come; a prompt that ends no line once it is quiet', () => {
    const [listener, port] = open();
    port.says('3.304 join 192.168.7.20, jo');
    port.says('ined\r\nlogin: ');
    jest.advanceTimersByTime(150);
    expect(texts(listener)).toEqual(['3.304 join 192.168.7.20, joined']);
    expect(listener.lines()[0]!.meaning).toEqual({ kind: 'join', words: 'It has joined, at 192.168.7.20.' });
    jest.advanceTimersByTime(1000);
    expect(texts(listener)).toEqual(['3.304 join 192.168.7.20, joined', 'login: ']);
  });

  it('never writes to the board; resets it by RTS alone, with the boot pin released', async () => {
    const [listener, port] = open();
    const restarted = listener.restart();
    await jest.advanceTimersByTimeAsync(200);
    await restarted;
    await listener.rate(9600);
    expect(port.done).toEqual(['dtr false rts true', 'dtr false rts false', 'rate 9600']);
  });

  it('tells when what comes is no text, and judges another rate anew', async () => {
    const [listener, port] = open();
    port.hear(Uint8Array.from({ length: 100 }, (_, i) => [0xf0, 0x81, 0x1e, 0xfe][i % 4]!));
    jest.advanceTimersByTime(150);
    expect(listener.readable()).toBeLessThan(0.5);
    await listener.rate(115_200);
    expect(listener.readable()).toBeNull();
    port.says('0.212 boot dewnode 1.0.0, cold start\r\n');
    jest.advanceTimersByTime(150);
    expect(listener.readable()).toBe(1);
  });

  it('keeps so many lines and says how many it let go', () => {
    const [listener, port] = open();
    port.says('x\n'.repeat(MOST_LINES + 5));
    jest.advanceTimersByTime(150);
    expect([listener.lines().length, listener.dropped()]).toEqual([MOST_LINES, 5]);
    listener.clear();
    expect([listener.lines().length, listener.dropped()]).toEqual([0, 0]);
  });

  it('keeps what was said when the port is lost; lets the port go once, and nothing of an old port counts', () => {
    const [listener, port] = open();
    port.says('half a li');
    port.end('the board was unplugged');
    expect(listener.state()).toEqual({ is: 'lost', why: 'the board was unplugged' });
    const next = new FakePort();
    listener.take(next, 'any');
    port.end('again');
    expect([listener.state().is, texts(listener), port.done]).toEqual(['open', ['half a li'], []]);
    listener.close();
    expect([listener.state().is, next.done]).toEqual(['off', ['close']]);
  });
});

describe('rows of what was heard', () => {
  const line = (id: number, text: string, kind: 'start' | 'unknown' | 'own' = 'own') => ({ id, at: id, text, meaning: { kind } });

  it('fold a chip’s start text into one until it is opened, and put a sentence beneath what is known', () => {
    const lines = [
      line(1, 'rst:0x1', 'start'),
      line(2, 'load:0x3', 'start'),
      { id: 3, at: 3, text: 'joined', meaning: { kind: 'join', words: 'It has joined the network.' } as const },
    ];
    expect(rowsOf(lines, new Set()).map(({ key }) => key)).toEqual(['f1', 'l3', 'w3']);
    expect(rowsOf(lines, new Set([1])).map(({ key }) => key)).toEqual(['f1', 'l1', 'l2', 'l3', 'w3']);
  });
  it('are found by words, upper or lower case, and saved with their times', () => {
    const lines = [line(1, 'WiFi up'), line(2, 'other')];
    expect(linesWith(lines, ' wifi ').map(({ id }) => id)).toEqual([1]);
    expect(linesWith(lines, '')).toBe(lines);
    expect(asText(lines)).toBe('1970-01-01T00:00:00.001Z WiFi up\n1970-01-01T00:00:00.002Z other\n');
  });
});
