import { signedText, type Manifest } from '@dewpost/core/firmware';
import { AIR_MISHAP_KINDS, type AirMishap } from '@dewpost/core/mishaps';
import { bootFrom, readMark } from '@dewpost/core/update';
import type { Offer, UpdateReport } from '@dewpost/core/wire';
import { createHash, generateKeyPairSync, sign } from 'node:crypto';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { factoryFlash, Updater } from './updater';

const image = Buffer.from(Array.from({ length: 70_000 }, (_, i) => (i * 31) & 255));
const sha256 = createHash('sha256').update(image).digest('hex');
const OLD = 'a'.repeat(64);
const { privateKey, publicKey } = generateKeyPairSync('ed25519');
const trusted = publicKey.export({ format: 'der', type: 'spki' }).subarray(-32).toString('base64');
const manifest: Manifest = {
  format: 1,
  name: 'dewnode',
  version: '1.1.0',
  board: 'wifi-dual-38',
  bytes: image.length,
  sha256,
  minimumRevision: 1,
  notes: '',
  signature: null,
};
const signed: Manifest = { ...manifest, signature: sign(null, Buffer.from(signedText(manifest)), privateKey).toString('base64') };

let server: Server;
let base: string;
let ranges: string[];
beforeAll(async () => {
  // A house of its own: hands out the ranges it is asked for, and nothing else.
  server = createServer((request, response) => {
    const [, from, to] = /^bytes=(\d+)-(\d+)$/.exec(request.headers.range ?? '') ?? [];
    ranges.push(`${from}-${to}`);
    response.writeHead(206).end(image.subarray(Number(from), Number(to) + 1));
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  base = `http://127.0.0.1:${(server.address() as AddressInfo).port}/image`;
});
beforeEach(() => (ranges = []));
afterAll(() => new Promise((resolve) => server.close(resolve)));

/** A board with its flash, that starts anew when it is told to or when its power is lost. */
class Board {
  readonly flash = factoryFlash('dewnode 1.0.0', OLD);
  readonly said: UpdateReport[] = [];
  offer: Offer | null = null;
  starts = 0;
  private readonly updater: Updater;
  constructor(
    public mishap: AirMishap,
    hasOutputs = false,
  ) {
    const again = (): void => {
      this.updater.halt();
      setTimeout(() => this.start(), 5);
    };
    this.updater = new Updater(this.flash, {
      board: 'wifi-dual-38',
      slotBytes: 100_000,
      trialMs: 40,
      hasOutputs,
      trustedKeys: () => [trusted],
      key: () => 'a key',
      brokerHost: '127.0.0.1',
      mishap: () => this.mishap,
      report: (report) => void this.said.push(report),
      makeSafe: () => 'off',
      restart: again,
      losePower: again,
      // Whatever is cut off: what the loader would start now is whole.
      keep: () => expect(this.flash.slots[bootFrom(readMark(this.flash.copies)).slot]?.whole).toBe(true),
    });
    this.start();
  }
  private start(): void {
    this.starts++;
    this.updater.boot();
    // What the house tells comes as soon as it is connected, before its own word is acknowledged.
    this.tell(this.offer);
    const fell = this.updater.fellBack();
    if (fell) this.said.push(fell);
    this.updater.reportedIn();
  }
  tell(offer: Offer | null): void {
    this.offer = offer;
    void this.updater.told(offer);
  }
  get runs(): string {
    return this.updater.running.sha256;
  }
  words = (): string[] => this.said.map(({ state }) => state).filter((state, i, all) => state !== all[i - 1]);
  until = async (state: UpdateReport['state']): Promise<void> => {
    const until = Date.now() + 5000;
    while (!this.said.some((one) => one.state === state)) {
      if (Date.now() > until) throw new Error(`it never said ${state}: ${this.words().join(' ')}`);
      await new Promise((resolve) => setTimeout(resolve, 5));
    }
  };
  end = (): void => this.updater.halt();
}
const offer = (id: string, change: Partial<Manifest> = {}): Offer => ({ id, manifest: { ...manifest, ...change }, from: base });

describe('a node and an image over the air', () => {
  const survived = AIR_MISHAP_KINDS.filter((kind) => kind === 'none' || kind.startsWith('power-lost'));
  it.each(survived)('ends on the new image: %s', async (kind) => {
    const board = new Board(kind);
    board.tell(offer('1'));
    await board.until('kept');
    expect([board.runs, board.words().slice(0, 2)]).toEqual([sha256, ['safe', 'fetching']]);
    expect(board.said[0]).toMatchObject({ secondRadio: 'off' });
    // An update needs one start, and lost power is another, unless it is lost just then; what was fetched is not fetched again.
    const starts = kind === 'none' || kind === 'power-lost-starting' ? 2 : 3;
    expect([board.starts, new Set(ranges).size]).toEqual([starts, ranges.length]);
    board.end();
  });

  it.each(['bit-flip', 'cut-short'] as const)('refuses what it fetched and stays on its image: %s', async (kind) => {
    const board = new Board(kind);
    board.tell(offer('1'));
    await board.until('refused');
    expect([board.runs, board.starts, board.said.at(-1)?.why]).toEqual([OLD, 1, expect.stringMatching(/^digest of what was fetched/)]);
    board.mishap = 'none';
    // Under the same offer it is not tried again by itself; under another it is.
    board.tell(offer('1'));
    board.tell(offer('2'));
    await board.until('kept');
    expect(board.runs).toBe(sha256);
    board.end();
  });

  it('falls back from an image that never reports, says so, and takes it again only under another offer', async () => {
    const board = new Board('never-reports');
    board.tell(offer('1'));
    await board.until('fell-back');
    // Told the same offer again at its start, it did not try again: two starts on trial, one back.
    expect([board.runs, board.starts, board.words()]).toEqual([OLD, 4, ['safe', 'fetching', 'proved', 'starting', 'fell-back']]);
    board.mishap = 'none';
    const asked = ranges.length;
    board.tell(offer('1'));
    await new Promise((resolve) => setTimeout(resolve, 50));
    // Told the same offer again at its start, it did not try again: two starts on trial, one back.
    expect([board.runs, board.starts, board.words()]).toEqual([OLD, 4, ['safe', 'fetching', 'proved', 'starting', 'fell-back']]);
    board.tell(offer('2'));
    await board.until('kept');
    // It lay in the spare slot still: nothing was fetched for it.
    expect([board.runs, ranges.length]).toEqual([sha256, asked]);
    board.end();
  });

  it.each([
    ['for another board', { board: 'wifi-single-30' }, false, /made for wifi-single-30/],
    ['larger than its slot', { bytes: 200_000 }, false, /200000|200 000|room|slot/],
    ['not signed, for a node that switches', {}, true, /sign/],
    ['signed for other bytes, for a node that switches', { signature: signed.signature, version: '6.6.6' }, true, /sign/],
  ] as const)('refuses one %s before anything is written', async (_, change, outputs, why) => {
    const board = new Board('none', outputs);
    board.tell(offer('1', change));
    await board.until('refused');
    expect([board.words(), board.said[0]?.why, ranges.length]).toEqual([['refused'], expect.stringMatching(why), 0]);
    board.end();
  });
  it('takes a signed one for a node that switches; its key goes to no other house', async () => {
    const board = new Board('none', true);
    board.tell({ id: '1', manifest: signed, from: base.replace('127.0.0.1', 'elsewhere.test') });
    await board.until('refused');
    expect([board.said[0]?.why, ranges.length]).toEqual([expect.stringMatching(/another address than the broker/), 0]);
    board.tell({ id: '2', manifest: signed, from: base });
    await board.until('kept');
    expect(board.runs).toBe(sha256);
    board.end();
  });
});
