import { CHUNK_BYTES, encodeBegin, encodeChunk, identitySchema, type LinkError, SerialLink, type BytePort } from '@dewpost/core/serial';
import { createHash, randomBytes } from 'node:crypto';
import { StandinBoard } from './board';

const image = randomBytes(20_000);
const sha256 = createHash('sha256').update(image).digest();
const configuration = {
  revision: 1,
  node: 'proving-1',
  key: 'k'.repeat(22),
  room: 'Proving room',
  sheet: 'Climate post',
  broker: { host: '127.0.0.1', port: 1883 },
  networks: [{ name: 'wrenfold-nodes', passphrase: 'under the mill wheel' }],
  address: null,
  reportSeconds: 1,
  points: [{ name: 'temperature', unit: '°C' }],
  outputs: [],
};
const after = (ms: number, run: () => void): (() => void) => {
  const timer = setTimeout(run, ms);
  return () => clearTimeout(timer);
};

/** A board and a link joined by a wire that may spoil what goes over it. */
function bench(spoil: (bytes: Uint8Array) => Uint8Array | null = (bytes) => bytes) {
  const boots: string[] = [];
  const board = new StandinBoard('wifi-dual-38', {
    bytesPerSecond: 5_000_000,
    enter: () => undefined,
    boot: (_, conf, firmware) => boots.push(`${conf.node} ${firmware.version}`),
  });
  let listener: (bytes: Uint8Array) => void = () => undefined;
  const port: BytePort = {
    write: (bytes) => {
      const sent = spoil(bytes);
      if (sent) board.receive(sent);
    },
    onBytes: (take) => (listener = take),
    onClosed: () => undefined,
    close: () => undefined,
  };
  board.attach((bytes) => listener(bytes));
  const link = new SerialLink(port, after, 100);
  const write = async (): Promise<void> => {
    await link.request('begin', encodeBegin(image.length, sha256, '1.2.3'));
    for (let offset = 0; offset < image.length; offset += CHUNK_BYTES)
      await link.request('chunk', encodeChunk(offset, image.subarray(offset, offset + CHUNK_BYTES)));
  };
  return { board, link, write, boots };
}
const store = (link: SerialLink, body: unknown): Promise<Uint8Array> =>
  link.request('configure', new TextEncoder().encode(typeof body === 'string' ? body : JSON.stringify(body)));

describe('a board over the serial protocol', () => {
  it('is written, proves the digest, takes its configuration and starts it', async () => {
    const { link, write, boots, board } = bench();
    const identity = identitySchema.parse(JSON.parse(new TextDecoder().decode(await link.request('identify'))));
    expect(identity.hardwareId).toBe(board.hardwareId);
    await write();
    expect(new TextDecoder().decode(await link.request('finish'))).toBe(sha256.toString('hex'));
    await store(link, configuration);
    await link.request('restart');
    expect(boots).toEqual(['proving-1 1.2.3']);
  });
  it('comes through a line that loses and spoils frames', async () => {
    let n = 0;
    const { link, write } = bench((bytes) => {
      n++;
      if (n % 7 === 0) return null;
      if (n % 5 !== 0) return bytes;
      const flipped = bytes.slice();
      flipped[flipped.length >> 1]! ^= 4;
      return flipped;
    });
    await write();
    expect(new TextDecoder().decode(await link.request('finish'))).toBe(sha256.toString('hex'));
  });
  it('refuses what is out of order, too large, cut short, spoiled in the flash or no configuration', async () => {
    const { link, board, write } = bench();
    const refused = (promise: Promise<unknown>): Promise<string> =>
      promise.then(
        () => 'taken',
        (error: LinkError) => error.code,
      );
    expect(await refused(link.request('finish'))).toBe('badOrder');
    expect(await refused(link.request('restart'))).toBe('badOrder');
    expect(await refused(link.request('begin', encodeBegin(9_000_000, sha256, '1')))).toBe('tooLarge');
    await link.request('begin', encodeBegin(image.length, sha256, '1.2.3'));
    await link.request('chunk', encodeChunk(0, image.subarray(0, 1024)));
    expect(await refused(link.request('chunk', encodeChunk(4096, image.subarray(4096, 5120))))).toBe('badOffset');
    expect(await refused(link.request('finish'))).toBe('badOrder');
    board.mishap = 'digest';
    await write();
    expect(await refused(link.request('finish'))).toBe('digestMismatch');
    expect(await refused(store(link, '{"revision":'))).toBe('badConfiguration');
    expect(await refused(store(link, { ...configuration, networks: [{ name: 'x', passphrase: 'short' }] }))).toBe('badConfiguration');
  });
});
