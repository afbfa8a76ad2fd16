// Image bytes a second over the documented serial protocol, every chunk asked for and answered, against the same bytes sent bare over
// the same line at 921 600 baud (8N1: 92 160 bytes a second). The line is the stand-in's: its own clock, not a port of this computer.
import { CHUNK_BYTES, encodeBegin, encodeChunk, SerialLink, type BytePort } from '../core/src/serial';
import { enter, identify, prepare, prove, restart, RomDriver, write, type SignalPort } from '../core/src/rom-loader';
import { createHash, randomBytes } from 'node:crypto';
import { deflateSync } from 'node:zlib';
import { StandinBoard } from '../standins/src/board';
import { RomBoard } from '../standins/src/rom-board';
import { machine, ratio } from './report';

const BYTES_PER_SECOND = 92_160;
const IMAGE_BYTES = 512 * 1024;
const image = randomBytes(IMAGE_BYTES);
const sha256 = createHash('sha256').update(image).digest();

const board = new StandinBoard('wifi-dual-38', { bytesPerSecond: BYTES_PER_SECOND, enter: () => undefined, boot: () => undefined });
let listener: (bytes: Uint8Array) => void = () => undefined;
const port: BytePort = {
  write: (bytes) => board.receive(bytes),
  onBytes: (take) => (listener = take),
  onClosed: () => undefined,
  close: () => undefined,
};
board.attach((bytes) => listener(bytes));
const link = new SerialLink(port, (ms, run) => {
  const timer = setTimeout(run, ms);
  return () => clearTimeout(timer);
});

await link.request('begin', encodeBegin(image.length, sha256, '1.0.0'));
const began = performance.now();
for (let offset = 0; offset < image.length; offset += CHUNK_BYTES)
  await link.request('chunk', encodeChunk(offset, image.subarray(offset, offset + CHUNK_BYTES)));
const seconds = (performance.now() - began) / 1000;
if (new TextDecoder().decode(await link.request('finish')) !== sha256.toString('hex')) throw new Error('the digest differs');

console.log(machine());
ratio(
  'serial write, against the bare line at 921 600 baud',
  IMAGE_BYTES / seconds,
  BYTES_PER_SECOND,
  { atLeast: 0.85 },
  `${(IMAGE_BYTES / seconds / 1000).toFixed(1)} kB/s of ${(BYTES_PER_SECOND / 1000).toFixed(1)} kB/s, ${IMAGE_BYTES / 1024} kB in ${seconds.toFixed(1)} s`,
);

// The same image into a board fresh from the shop, through the boot loader of its chip and compressed: bytes on the line a second, from
// the end of the erasing on.
const fresh = new RomBoard({
  family: 'rom-slip-2',
  flashBytes: 4 * 1024 * 1024,
  bytesPerSecond: BYTES_PER_SECOND,
  configurationAt: 0x3f_0000,
  boot: () => undefined,
});
let lineEnded: (why: string) => void = () => undefined;
const freshPort: SignalPort = {
  write: (bytes) => fresh.receive(bytes),
  onBytes: (take) => fresh.attach(take, () => lineEnded('unplugged')),
  onClosed: (take) => (lineEnded = take),
  close: () => undefined,
  signals: (dtr, rts) => Promise.resolve(fresh.signals(dtr, rts)),
  rate: () => Promise.resolve(),
};
/** How much had been sent when, from the first packet behind the erasing on. */
const sentAt: { ms: number; bytes: number }[] = [];
const driver = new RomDriver(
  freshPort,
  (ms, run) => {
    const timer = setTimeout(run, ms);
    return () => clearTimeout(timer);
  },
  {
    progress: (told) => void (told.kind === 'writing' && sentAt.push({ ms: performance.now(), bytes: told.sent })),
    text: () => undefined,
  },
);
await driver.run(enter('two transistors'));
await driver.run(identify('rom-slip-2'));
await driver.run(prepare('rom-slip-2', 4 * 1024 * 1024));
const packed = new Uint8Array(deflateSync(image));
await driver.run(write('rom-slip-2', { at: 0x10000, bytes: image, packed }, { sent: 0, of: packed.length }));
await driver.run(prove('rom-slip-2', 0x10000, image.length, createHash('md5').update(image).digest('hex')));
await driver.run(restart());
const [from, to] = [sentAt[0], sentAt.at(-1)];
if (!from || !to) throw new Error('nothing was written');
const rate = ((to.bytes - from.bytes) * 1000) / (to.ms - from.ms);
ratio(
  'first write, compressed, against the bare line at 921 600 baud',
  rate,
  BYTES_PER_SECOND,
  { atLeast: 0.9 },
  `${(rate / 1000).toFixed(1)} kB/s of ${(BYTES_PER_SECOND / 1000).toFixed(1)} kB/s, ${(packed.length / 1024).toFixed(0)} kB compressed in ${((to.ms - from.ms) / 1000).toFixed(1)} s after erasing`,
);
process.exit(process.exitCode ?? 0);
