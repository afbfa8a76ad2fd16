import { decodeUpBody } from '@dewpost/core/wire';
import { cborPack, readCbor, readCborPack } from './cbor';

const bytes = (hex: string): Uint8Array => Uint8Array.from(Buffer.from(hex.replace(/\s/g, ''), 'hex'));
const read = (hex: string): unknown => JSON.parse(JSON.stringify(readCbor(bytes(hex))));

describe('readings in CBOR', () => {
  // RFC 8428 §6, figure 1 (the first three records of its pack of seven; from memory, the array's length set to three).
  const PACK = `83
    a7 21 78 1b 75726e3a6465763a6f773a313065323037336130313038303036 3a
       22 fb 41d303a15b001062 23 61 41 20 05
       00 67 766f6c74616765 01 61 56 02 fb 405e066666666666
    a3 00 67 63757272656e74 06 24 02 fb 3ff3333333333333
    a3 00 67 63757272656e74 06 23 02 fb 3ff4cccccccccccd`;
  it('are a SenML pack whose labels are integers, and come out as the same pack does in JSON', () => {
    expect(read(PACK)).toEqual([
      { bn: 'urn:dev:ow:10e2073a0108006:', bt: 1276020076.001, bu: 'A', bver: 5, n: 'voltage', u: 'V', v: 120.1 },
      { n: 'current', t: -5, v: 1.2 },
      { n: 'current', t: -4, v: 1.3 },
    ]);
    const { samples, refusals } = decodeUpBody(readCbor(bytes(PACK)), 'try-1', 0);
    expect(refusals).toEqual([]);
    expect(samples.map(({ value, at }) => [value, at])).toEqual([
      [120.1, 1276020076001],
      [1.2, 1276020071001],
      [1.3, 1276020072001],
    ]);
  });
  it('may be a map of names and numbers; big integers are numbers', () => {
    expect(read('a2 61 61 1a 000f4240 61 62 1b 0000000100000000')).toEqual({ a: 1_000_000, b: 4_294_967_296 });
  });
  it.each([
    ['nothing', ''],
    ['cut off', 'a1 61 61'],
    ['an array that claims a hundred million', '9a 05f5e100'],
    ['a map that claims a hundred million', 'ba 05f5e100'],
    ['a text that claims four thousand million', '7a ffffffff'],
    ['a break out of place', 'ff'],
    ['arrays in arrays, sixty thousand deep', '81'.repeat(60_000) + '00'],
  ])('are refused in words where they are none: %s', (_, hex) => {
    const before = process.memoryUsage().rss;
    expect(() => readCbor(bytes(hex))).toThrow(/^not CBOR: /);
    expect(process.memoryUsage().rss - before).toBeLessThan(50_000_000);
  });
  it('take a name for a name, whatever it says', () => {
    const body = readCbor(bytes(`a1 69 ${Buffer.from('__proto__').toString('hex')} 18 15`)) as object;
    expect(Object.getPrototypeOf(body)).toBeNull();
    expect(({} as Record<string, unknown>)['polluted']).toBeUndefined();
    expect(decodeUpBody(body, 'try-1', 0).samples.every(({ point }) => typeof point === 'string')).toBe(true);
  });
  it('a pack of a file may have any number of records, its array closed or left open', async () => {
    expect(JSON.parse(JSON.stringify(readCborPack(bytes(PACK))))).toEqual(read(PACK));
    const many = 70_000;
    async function* records(): AsyncGenerator<{ n: string; t: number; v: number }> {
      for (let i = 0; i < many; i++) yield Promise.resolve({ n: 'loft-1:humidity', t: 1_700_000_000.25 + i, v: i / 8 });
    }
    const chunks: Uint8Array[] = [];
    for await (const chunk of cborPack(records())) chunks.push(Uint8Array.from(chunk));
    const packed = Buffer.concat(chunks);
    const back = readCborPack(packed) as { n: string; t: number; v: number }[];
    expect([back.length, { ...back.at(-1) }]).toEqual([many, { n: 'loft-1:humidity', t: 1_700_000_000.25 + many - 1, v: (many - 1) / 8 }]);
    // RFC 8949 §3.2.2: an array of unknown length begins with 9f and ends with ff.
    expect([packed[0], packed.at(-1)]).toEqual([0x9f, 0xff]);
    expect(readCborPack(Uint8Array.of(0x80))).toEqual([]);
  });
  it.each([
    ['a0', /an array of records/],
    ['', /an array of records/],
    ['9f a1 00 61', /not CBOR/],
    ['81 a1 00 78 ff 41', /not CBOR/],
  ])('%s is no pack, in words', (hex, why) => expect(() => readCborPack(bytes(hex))).toThrow(why));
});
