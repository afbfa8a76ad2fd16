import {
  checksumOf,
  cutParts,
  decodeConfigurationRegion,
  encodeConfigurationRegion,
  enter,
  identify,
  isLater,
  layoutFaults,
  md5Of,
  prepare,
  prove,
  restart,
  ROM_FAMILIES,
  RomDriver,
  RomError,
  write,
  type Progress,
  type RomFamily,
  type SignalPort,
} from '@dewpost/core/rom-loader';
import type { PortMishap } from '@dewpost/core/mishaps';
import { nodeConfigurationSchema } from '@dewpost/core/wire';
import { createHash } from 'node:crypto';
import { deflateSync } from 'node:zlib';
import { RomBoard } from './rom-board';

const FLASH = 1024 * 1024;
const CONFIGURATION_AT = 0xf0000;
const md5 = (bytes: Uint8Array): string => createHash('md5').update(bytes).digest('hex');
const noise = (length: number, seed: number): Uint8Array =>
  Uint8Array.from({ length }, (_, i) => (Math.imul(i + seed, 2_654_435_761) >>> 13) & 0xff);
const CONFIGURATION = nodeConfigurationSchema.parse({
  revision: 1,
  node: 'fresh-1',
  key: 'k'.repeat(22),
  room: 'Loft',
  sheet: 'Climate post',
  reportSeconds: 30,
  points: [],
  outputs: [],
  broker: { host: '192.168.7.2', port: 1883 },
  networks: [{ name: 'wrenfold-nodes', passphrase: 'under the wheel' }],
  address: null,
  accessPoint: null,
  via: null,
  setupPassword: 'abcdefghij',
  trustedKeys: [],
});

/** Time that passes as soon as the board has answered all that it was sent: only what it never answers is late. */
const afterAnswers =
  (board: RomBoard) =>
  (_ms: number, run: () => void): (() => void) => {
    let wanted = true;
    void board.settled().then(() => setImmediate(() => wanted && run()));
    return () => (wanted = false);
  };

function bench(family: RomFamily, mishap: PortMishap = 'fresh') {
  const booted: unknown[] = [];
  const board = new RomBoard({
    family,
    flashBytes: FLASH,
    bytesPerSecond: 1e9,
    configurationAt: CONFIGURATION_AT,
    instant: true,
    boot: (configuration) => booted.push(configuration),
  });
  board.mishap = mishap;
  const rates: number[] = [];
  let lost: (why: string) => void = () => undefined;
  const port: SignalPort = {
    write: (bytes) => board.receive(bytes),
    onBytes: (listener) => board.attach(listener, () => lost('the cable was pulled')),
    onClosed: (listener) => (lost = listener),
    close: () => undefined,
    signals: (dtr, rts) => Promise.resolve(board.signals(dtr, rts)),
    rate: (baud) => Promise.resolve(void rates.push(baud)),
  };
  const progress: Progress[] = [];
  const texts: string[] = [];
  const driver = new RomDriver(port, afterAnswers(board), { progress: (one) => progress.push(one), text: (text) => texts.push(text) });
  return { board, driver, progress, texts, rates, booted };
}

describe.each(ROM_FAMILIES)('a fresh board of %s', (family) => {
  it('is brought into its loader, written, proved by its own digest, and starts with its configuration', async () => {
    const { board, driver, progress, texts, rates, booted } = bench(family);
    await driver.run(enter('two transistors'));
    expect(await driver.run(identify(family))).toBe(family);
    await driver.run(prepare(family, FLASH));
    expect(rates).toEqual(isLater(family) ? [115_200, 921_600] : [115_200]);
    const parts = [
      { at: 0x1000, bytes: noise(5000, 3) },
      // Compresses well, and is no whole number of packets.
      { at: 0x10000, bytes: Uint8Array.from({ length: 100_001 }, (_, i) => i >> 9) },
      { at: CONFIGURATION_AT, bytes: encodeConfigurationRegion(CONFIGURATION, 8192)! },
    ];
    let sent = 0;
    for (const { at, bytes } of parts) {
      const packed = isLater(family) ? new Uint8Array(deflateSync(bytes)) : null;
      sent = await driver.run(write(family, { at, bytes, packed }, { sent, of: 200_000 }));
      await driver.run(prove(family, at, bytes.length, md5(bytes)));
      expect(Buffer.from(board.flash.subarray(at, at + bytes.length)).equals(Buffer.from(bytes))).toBe(true);
    }
    expect(progress.filter(({ kind }) => kind === 'erasing')).toHaveLength(3);
    expect(sent).toBeLessThan(isLater(family) ? 30_000 : 130_000);
    await driver.run(restart());
    expect(booted).toEqual([CONFIGURATION]);
    expect(texts.join()).toMatch(/waiting for download/);
  });

  it.each([
    ['fresh-no-boot', 'no-boot-mode'],
    ['fresh-other', 'other-family'],
    ['fresh-silent', 'silent-after-sync'],
    ['fresh-stuck', 'stuck-erasing'],
    ['fresh-small', 'refused'],
    ['fresh-digest', 'digest-differs'],
  ] as const)('%s is told apart as %s', async (mishap, fault) => {
    const { driver } = bench(family, mishap);
    const bytes = noise(3000, 1);
    const all = async (): Promise<void> => {
      await driver.run(enter('two transistors', 1));
      await driver.run(identify(family));
      await driver.run(prepare(family, FLASH));
      await driver.run(write(family, { at: 0x10000, bytes, packed: null }, { sent: 0, of: bytes.length }));
      await driver.run(prove(family, 0x10000, bytes.length, md5(bytes)));
    };
    await expect(all()).rejects.toMatchObject({ name: 'RomError', fault });
  });

  it('a spoiled packet is sent again; a pulled cable is a lost port, and the board can be written again after it', async () => {
    const bytes = noise(20_000, 7);
    const once = async (driver: RomDriver): Promise<void> => {
      await driver.run(enter('two transistors'));
      await driver.run(prepare(family, FLASH));
      await driver.run(write(family, { at: 0, bytes, packed: null }, { sent: 0, of: bytes.length }));
      await driver.run(prove(family, 0, bytes.length, md5(bytes)));
    };
    await once(bench(family, 'fresh-checksum').driver);
    const torn = bench(family, 'fresh-unplugged');
    await expect(once(torn.driver)).rejects.toMatchObject({ code: 'portLost' });
    const again = bench(family);
    await once(again.driver);
  });
});

it('an answer out of turn is not taken for the one that is waited for', async () => {
  // Eight answers to one greeting: the next command still gets its own.
  const { driver } = bench('rom-slip-2');
  await driver.run(enter('two transistors'));
  expect(await driver.run(identify('rom-slip-2'))).toBe('rom-slip-2');
});

describe('what is written', () => {
  // RFC 1321, appendix A.5.
  it.each([
    ['', 'd41d8cd98f00b204e9800998ecf8427e'],
    ['abc', '900150983cd24fb0d6963f7d28e17f72'],
    ['message digest', 'f96b697d7cb7938d525a2f31aaf161d0'],
    ['12345678901234567890123456789012345678901234567890123456789012345678901234567890', '57edf4a22be3c955ac49da2e2107b67a'],
  ])('MD5 of “%s”', (text, digest) => expect(md5Of(new TextEncoder().encode(text))).toBe(digest));
  it('the configuration region comes back, is whole sectors, and a flipped bit is noticed', () => {
    const region = encodeConfigurationRegion(CONFIGURATION, 8192)!;
    expect([region.length % 4096, new TextDecoder().decode(region.subarray(0, 4)), region.at(-1)]).toEqual([0, 'DPCF', 0xff]);
    expect(decodeConfigurationRegion(region)).toEqual(CONFIGURATION);
    for (const at of [0, 5, 9, 40]) {
      const spoiled = region.slice();
      spoiled[at] = (spoiled[at] ?? 0) ^ 1;
      expect(decodeConfigurationRegion(spoiled)).toBeNull();
    }
    expect(decodeConfigurationRegion(new Uint8Array(8192).fill(0xff))).toBeNull();
    expect(encodeConfigurationRegion(CONFIGURATION, 64)).toBeNull();
  });
  it('parts that overlap, lie askew, or past the end of the flash are refused in words', () => {
    const part = (file: string, at: number, bytes: number) => ({ file, at, bytes, sha256: 'ab'.repeat(32) });
    const fine = [part('loader', 0x1000, 5000), part('application', 0x10000, 100_000)];
    expect(layoutFaults(fine, { at: 0xf0000, bytes: 8192 }, 105_000, FLASH)).toEqual([]);
    const faults = (parts: typeof fine, region: { at: number; bytes: number } | null, bytes: number): string =>
      layoutFaults(parts, region, bytes, FLASH).join(' ');
    expect(faults([part('loader', 0x1001, 10)], null, 10)).toMatch(/no boundary of a sector/);
    expect(faults([part('a', 0, 5000), part('b', 0x1000, 10)], null, 5010)).toMatch(/a and b overlap at 0x1000/);
    expect(faults([part('a', 0xff000, 8192)], null, 8192)).toMatch(/ends at 0x101000/);
    expect(faults(fine, { at: 0x11000, bytes: 4096 }, 105_000)).toMatch(/application and the configuration overlap/);
    expect(faults(fine, { at: 0xf0000, bytes: 100 }, 105_000)).toMatch(/whole sectors/);
    expect(faults(fine, null, 99)).toMatch(/105000 bytes together, the image 99/);
  });
  it('parts lie one after the other in the file', () => {
    const image = Uint8Array.from([1, 2, 3, 4, 5]);
    const part = (file: string, bytes: number) => ({ file, at: 0, bytes, sha256: '' });
    expect(cutParts(image, [part('a', 2), part('b', 3)]).map(({ bytes }) => [...bytes])).toEqual([
      [1, 2],
      [3, 4, 5],
    ]);
  });
  it('errors carry their fault by name', () => expect(new RomError('checksum', 'x').fault).toBe('checksum'));
  it('the checksum is XOR over the bytes, seeded', () =>
    expect([checksumOf(new Uint8Array()), checksumOf(Uint8Array.of(0xef, 1))]).toEqual([0xef, 1]));
});
