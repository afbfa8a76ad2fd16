import fc from 'fast-check';
import { createHash } from 'node:crypto';
import { crc32 as zlibCrc } from 'node:zlib';
import {
  ANSWER,
  CHUNK_BYTES,
  crc32,
  decodeBegin,
  decodeChunk,
  decodeFrame,
  encodeBegin,
  encodeChunk,
  encodeFrame,
  FRAME,
  LinkError,
  SerialLink,
  SlipDecoder,
  slipEncode,
  STATUS,
  type BytePort,
} from '.';

const ascii = (text: string): Uint8Array => new TextEncoder().encode(text);

describe('CRC-32', () => {
  it('meets published check values', () => {
    // Catalogue of parametrised CRC algorithms, CRC-32/ISO-HDLC: check 0xCBF43926. The others: RFC 3720 neighbours, from memory.
    expect(crc32(ascii('123456789'))).toBe(0xcbf43926);
    expect(crc32(ascii(''))).toBe(0);
    expect(crc32(ascii('a'))).toBe(0xe8b7be43);
  });
  it('agrees with zlib where this Node.js has it', () => {
    if (typeof zlibCrc !== 'function') return;
    fc.assert(fc.property(fc.uint8Array(), (bytes) => expect(crc32(bytes)).toBe(zlibCrc(bytes))));
  });
});

describe('SLIP (RFC 1055)', () => {
  it('escapes END and ESC as the RFC says', () => {
    expect([...slipEncode(Uint8Array.of(1, 0xc0, 2, 0xdb, 3))]).toEqual([0xc0, 1, 0xdb, 0xdc, 2, 0xdb, 0xdd, 3, 0xc0]);
  });
  it('gives back any packets, however the stream is cut', () => {
    fc.assert(
      fc.property(
        fc.array(fc.uint8Array({ minLength: 1, maxLength: 200 }), { maxLength: 8 }),
        fc.integer({ min: 1, max: 50 }),
        (packets, cut) => {
          const stream = Buffer.concat(packets.map((packet) => slipEncode(packet)));
          const decoder = new SlipDecoder();
          const got: Uint8Array[] = [];
          for (let i = 0; i < stream.length; i += cut) got.push(...decoder.push(stream.subarray(i, i + cut)));
          expect(got.map((packet) => [...packet])).toEqual(packets.map((packet) => [...packet]));
        },
      ),
    );
  });
  it('a broken escape or an endless packet spoils itself only', () => {
    const decoder = new SlipDecoder(16);
    const broken = Uint8Array.of(0xc0, 1, 0xdb, 0x41, 0xc0);
    const endless = new Uint8Array(1000).fill(7);
    expect([...decoder.push(broken), ...decoder.push(endless), ...decoder.push(slipEncode(Uint8Array.of(9)))].map((p) => [...p])).toEqual([
      [9],
    ]);
  });
});

describe('frames', () => {
  it('any frame comes back; one flipped bit anywhere is noticed', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 255 }),
        fc.integer({ min: 0, max: 255 }),
        fc.uint8Array({ maxLength: 300 }),
        fc.nat(),
        (kind, sequence, payload, bit) => {
          const [packet] = new SlipDecoder().push(encodeFrame({ kind, sequence, payload }));
          expect(decodeFrame(packet!)).toEqual({ kind, sequence, payload });
          const spoiled = packet!.slice();
          spoiled[(bit >> 3) % spoiled.length]! ^= 1 << (bit & 7);
          expect(decodeFrame(spoiled)).toBeNull();
        },
      ),
    );
  });
  it('begin and chunk carry what they were given', () => {
    const sha256 = createHash('sha256').update('image').digest();
    const begin = decodeBegin(encodeBegin(123_456, sha256, '1.0.0'));
    expect({ ...begin, sha256: Buffer.from(begin!.sha256).toString('hex') }).toEqual({
      size: 123_456,
      sha256: sha256.toString('hex'),
      version: '1.0.0',
    });
    expect(decodeChunk(encodeChunk(2048, Uint8Array.of(1, 2)))).toEqual({ offset: 2048, bytes: Uint8Array.of(1, 2) });
    expect(decodeBegin(new Uint8Array(35))).toBeNull();
    expect(decodeChunk(new Uint8Array(3))).toBeNull();
    expect(CHUNK_BYTES).toBeLessThanOrEqual(4096);
  });
});

/** A port whose far end answers as told, on a clock of its own. */
function rig(answer: (request: { kind: number; sequence: number; payload: Uint8Array }, attempt: number) => Uint8Array | null) {
  let listener: (bytes: Uint8Array) => void = () => undefined;
  let closed: (why: string) => void = () => undefined;
  const timers: (() => void)[] = [];
  let attempts = 0;
  const port: BytePort = {
    write(bytes) {
      for (const packet of new SlipDecoder().push(bytes)) {
        const frame = decodeFrame(packet)!;
        const back = answer(frame, ++attempts);
        if (back) queueMicrotask(() => listener(back));
        else queueMicrotask(() => timers.at(-1)?.());
      }
    },
    onBytes: (take) => (listener = take),
    onClosed: (take) => (closed = take),
    close: () => undefined,
  };
  const link = new SerialLink(port, (_ms, run) => {
    timers.push(run);
    return () => void timers.splice(timers.indexOf(run), 1);
  });
  return { link, lose: (why: string) => closed(why), attempts: () => attempts };
}
const answerTo = (frame: { kind: number; sequence: number }, status: number, rest: Uint8Array | string = ''): Uint8Array =>
  encodeFrame({
    kind: frame.kind | ANSWER,
    sequence: frame.sequence,
    payload: Uint8Array.of(status, ...(typeof rest === 'string' ? ascii(rest) : rest)),
  });

describe('a serial link', () => {
  it('sends a request again when its answer is spoiled or missing, three times in all', async () => {
    const lost = rig((frame, attempt) => (attempt < 3 ? null : answerTo(frame, STATUS.ok, 'yes')));
    expect(new TextDecoder().decode(await lost.link.request('identify'))).toBe('yes');
    expect(lost.attempts()).toBe(3);
    const deaf = rig(() => null);
    await expect(deaf.link.request('identify')).rejects.toMatchObject({ code: 'noAnswer' });
    expect(deaf.attempts()).toBe(3);
  });
  it('does not ask again what the board has refused, and gives its reason', async () => {
    const refused = rig((frame) => answerTo(frame, STATUS.digestMismatch, 'abcd'));
    await expect(refused.link.request('finish')).rejects.toMatchObject({ code: 'digestMismatch', detail: 'abcd' });
    expect(refused.attempts()).toBe(1);
  });
  it('ignores answers of other requests and passes log lines on', async () => {
    const lines: string[] = [];
    const busy = rig((frame) => {
      const log = encodeFrame({ kind: FRAME.log, sequence: 0, payload: ascii('{"ms":1,"tag":"boot","text":"cold start"}') });
      const stray = answerTo({ kind: frame.kind, sequence: frame.sequence + 1 }, STATUS.badOrder);
      return Uint8Array.from([...log, ...stray, ...answerTo(frame, STATUS.ok)]);
    });
    busy.link.onLog((line) => lines.push(line.text));
    await busy.link.request('restart');
    expect(lines).toEqual(['cold start']);
  });
  it('ends what waits when the port is lost', async () => {
    const cut = rig(() => null);
    const waiting = cut.link.request('chunk');
    cut.lose('unplugged');
    await expect(waiting).rejects.toThrow(LinkError);
    await expect(cut.link.request('chunk')).rejects.toMatchObject({ code: 'portLost' });
  });
});
