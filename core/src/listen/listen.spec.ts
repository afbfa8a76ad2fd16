import fc from 'fast-check';
import { encodeFrame, FRAME } from '../serial';
import { LineReader, meaningOf, readableShare, type LineEnd } from './index';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
const texts = (text: string | Uint8Array, end: LineEnd = 'any'): string[] => {
  const reader = new LineReader(end);
  const lines = reader.take(typeof text === 'string' ? bytes(text) : text, 0);
  const rest = reader.rest();
  return [...lines, ...(rest ? [rest] : [])].map((line) => line.text);
};

describe('lines of a serial port', () => {
  it('end where it is said; both halves of an end are one', () => {
    expect(texts('a\r\nb\nc\rd')).toEqual(['a', 'b', 'c', 'd']);
    expect(texts('a\n\nb\r\n\r\nc\n')).toEqual(['a', '', 'b', '', 'c']);
    expect(texts('a\rb\nc', 'lf')).toEqual(['a·b', 'c']);
    expect(texts('a\nb\rc', 'cr')).toEqual(['a\nb', 'c']);
    expect(texts('a\nb\r\nc\rd', 'crlf')).toEqual(['a\nb', 'c·d']);
  });

  it('are the same however the bytes are cut', () => {
    fc.assert(
      fc.property(
        fc.array(fc.constantFrom('boot', 'Wärme 21,4 °C', '', '水位', 'x'.repeat(50)), { maxLength: 12 }),
        fc.constantFrom('\n', '\r\n', '\r'),
        fc.array(fc.integer({ min: 1, max: 9 }), { minLength: 1, maxLength: 200 }),
        (words, end, cuts) => {
          const all = bytes(words.map((word) => word + end).join(''));
          const reader = new LineReader();
          const lines: string[] = [];
          for (let at = 0, i = 0; at < all.length; at += cuts[i++ % cuts.length]!)
            lines.push(...reader.take(all.subarray(at, at + cuts[i % cuts.length]!), at).map((line) => line.text));
          expect(lines).toEqual(words);
          expect(reader.rest()).toBeNull();
        },
      ),
    );
  });

  it('show what steers a terminal as dots and colours not at all, and are broken when they never end', () => {
    expect(texts('\x1b[0;32mI (212) boot: up\x1b[0m\n')).toEqual(['I (212) boot: up']);
    expect(texts('a\x07b\x00c\n')).toEqual(['a·b·c']);
    expect(texts('x'.repeat(5000)).map((line) => line.length)).toEqual([2048, 2048, 904]);
    expect(texts(Uint8Array.from([0x41, 0xff, 0x42, 0x0a]))).toEqual(['A\ufffdB']);
  });

  it('are log frames of our protocol too, between text; what looks like one and is none costs nothing after it', () => {
    const log = { ms: 3304, tag: 'join', text: 'the network refused it', code: 'wrong-passphrase' };
    const frame = encodeFrame({ kind: FRAME.log, sequence: 0, payload: bytes(JSON.stringify(log)) });
    const reader = new LineReader();
    expect(reader.take(Uint8Array.from([...bytes('before\nhalf'), ...frame, ...bytes('after\n')]), 7)).toEqual([
      { at: 7, text: 'before' },
      { at: 7, text: 'half' },
      { at: 7, text: '3.304 join the network refused it', code: 'wrong-passphrase' },
      { at: 7, text: 'after' },
    ]);
    const spoiled = Uint8Array.from(frame);
    spoiled[5]! ^= 1;
    expect(texts(Uint8Array.from([...spoiled, ...frame, ...bytes('on\n')]))).toEqual([
      `· ${frame.length - 2} bytes that are no text`,
      '3.304 join the network refused it',
      'on',
    ]);
    const noise = Uint8Array.from({ length: 3000 }, (_, i) => (i === 0 ? 0xc0 : 0x90));
    expect(texts(Uint8Array.from([...noise, 0x0a, ...bytes('on\n')])).at(-1)).toBe('on');
  });

  it('never throw, whatever comes, and never keep more than a frame', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 6000 }), (noise) => {
        const reader = new LineReader();
        for (const line of reader.take(noise, 0)) expect(line.text.length).toBeLessThanOrEqual(2048);
      }),
    );
  });

  it('tell by how much of them reads as text that the rate is another', () => {
    expect(readableShare(bytes('short'))).toBeNull();
    expect(readableShare(bytes('0.212 boot dewnode 1.0.0, cold start\r\n'))).toBe(1);
    expect(readableShare(Uint8Array.from({ length: 60 }, (_, i) => [0xf0, 0x81, 0x1e, 0xfe, 0x98][i % 5]!))!).toBeLessThan(0.3);
  });
});

describe('what a line means', () => {
  const words = (text: string, code?: string): string => {
    const meaning = meaningOf(text, code);
    return 'words' in meaning ? meaning.words : meaning.kind;
  };
  it('our own firmware’s joining and publishing, in a sentence', () => {
    expect(words('3.304 join joined wrenfold-nodes, -52 dBm', 'joined')).toBe('It has joined the network.');
    expect(words('1.202 join joined wrenfold-nodes, -58 dBm')).toBe('It has joined the network.');
    expect(words('0.002 join wrenfold-nodes, attempt 1')).toBe('own');
    expect(words('3.304 join 192.168.7.20, joined, -52 dBm')).toBe('It has joined, at 192.168.7.20.');
    expect(words('3.371 broker connected to 192.168.7.10:1883')).toBe('It has reached the broker, which took its key.');
    expect(words('4.100 publ dp/1/loft-cable-1/up 148 B')).toBe('loft-cable-1 sends readings, 148 bytes.');
    expect(words('3.702 publ dp/1/loft-cable-1/hello')).toMatch(/first contact/);
    expect(words('0.219 conf region 3F0000, checksum fits')).toBe('own');
  });
  it('other firmware’s, where it says it in so many words; and nothing is made up', () => {
    expect(words('WiFi connected, IP address: 10.20.0.11')).toBe('It has joined, at 10.20.0.11.');
    expect(words('Publishing to garden/shed/temperature')).toBe('It publishes to garden/shed/temperature.');
    expect(words('[W] authentication failed')).toBe('The network refused the passphrase.');
    expect(words('Brownout detector was triggered')).toMatch(/supply gives way/);
    for (const plain of ['adc idle 0x7ff', 'sensor connected at 0x76', '21.4 / 63.2', 'connected to nothing', 'http://10.0.0.1/x'])
      expect([plain, words(plain)]).toEqual([plain, 'unknown']);
  });
  it('a chip’s own start is told apart, to be folded away', () => {
    for (const line of ['ets Jun  8 2016 00:22:57', 'rst:0x1 (POWERON_RESET),boot:0x13', 'load:0x3fff0030,len:1184', 'entry 0x400805e4'])
      expect(words(line)).toBe('start');
    expect(words('restart asked for')).toBe('unknown');
  });
  it('codes of log frames count before words', () => {
    expect(words('something about the network', 'no-address')).toMatch(/gave it no address/);
    expect(words('something', 'of-another-kind')).toBe('unknown');
  });
});
