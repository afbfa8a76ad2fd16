import fc from 'fast-check';
import { createHmac } from 'node:crypto';
import { DATAGRAM, encodeDatagram, isProved, judgeSequence, readDatagram, sendTimes, sequenceAfterStart } from '.';

const key = 'a key of a leaf';
const word = { kind: DATAGRAM.word, leaf: 'weir-gate', sequence: 70_000, body: '{"r":[{"n":"hatch","v":1}]}' };

describe('a datagram', () => {
  it('says what was put in, proved by HMAC-SHA256 as another library makes it, cut to 128 bits', () => {
    const bytes = encodeDatagram(word, key);
    expect(readDatagram(bytes)).toEqual(word);
    expect(Buffer.from(bytes.subarray(-16))).toEqual(createHmac('sha256', key).update(bytes.subarray(0, -16)).digest().subarray(0, 16));
  });
  // Source: RFC 4231, test case 2.
  it('HMAC-SHA256 of the published test case', () => {
    expect(createHmac('sha256', 'Jefe').update('what do ya want for nothing?').digest('hex')).toBe(
      '5bdcc146bf60754e6a042426089575c75a003f089d2739839dec58b964ec3843',
    );
    expect(
      isProved(
        Uint8Array.from([...Buffer.from('what do ya want for nothing?'), ...Buffer.from('5bdcc146bf60754e6a042426089575c7', 'hex')]),
        'Jefe',
      ),
    ).toBe(true);
  });
  it('is not proved once any bit differs, and reads whatever comes without falling over', () => {
    const bytes = encodeDatagram(word, key);
    fc.assert(
      fc.property(fc.nat(bytes.length * 8 - 1), (bit) => {
        const spoiled = bytes.slice();
        spoiled[bit >> 3]! ^= 1 << (bit & 7);
        expect(isProved(spoiled, key)).toBe(false);
      }),
    );
    fc.assert(fc.property(fc.uint8Array({ maxLength: 1300 }), (junk) => void readDatagram(junk)));
    expect(isProved(bytes, 'another key')).toBe(false);
    expect(() => encodeDatagram({ ...word, body: 'x'.repeat(1200) }, key)).toThrow(RangeError);
  });
});

describe('words of a leaf', () => {
  it('are published once, in whatever order copies and recordings of them come', () => {
    fc.assert(
      fc.property(fc.array(fc.nat(30), { maxLength: 100 }), (sequences) => {
        let heard: { sequence: number } | null = null;
        const published: number[] = [];
        for (const sequence of sequences) {
          const judged = judgeSequence(heard, sequence);
          if (judged.verdict === 'new') published.push(sequence);
          heard = judged.heard;
        }
        expect(published).toEqual([...new Set(published)].sort((a, b) => a - b));
      }),
    );
    expect(judgeSequence({ sequence: 9 }, 9).verdict).toBe('repeat');
    expect(judgeSequence({ sequence: 9 }, 8).verdict).toBe('replay');
  });
  it('go out as a burst, and again after 0.1, 1 and 10 s while nobody answers', () => {
    expect(sendTimes({ count: 1, spacingMs: 20 })).toEqual([0, 100, 1100, 11_100]);
    expect(sendTimes({ count: 3, spacingMs: 20 }).slice(0, 6)).toEqual([0, 20, 40, 140, 160, 180]);
    expect(sendTimes({ count: 3, spacingMs: 20 })).toHaveLength(12);
  });
  it('never use a sequence twice, however often the leaf loses power between two writes of its store', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 255 }), { maxLength: 20 }), (wordsPerLife) => {
        let kept = 0;
        let last = 0;
        for (const words of wordsPerLife) {
          const { next, keep } = sequenceAfterStart(kept);
          kept = keep;
          expect(next).toBeGreaterThan(last);
          if (words > 0) last = next + words - 1;
        }
      }),
    );
  });
});
