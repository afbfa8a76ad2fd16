// Image bytes a second over the documented serial protocol, every chunk asked for and answered, against the same bytes sent bare over
// the same line at 921 600 baud (8N1: 92 160 bytes a second). The line is the stand-in's: its own clock, not a port of this computer.
import { CHUNK_BYTES, encodeBegin, encodeChunk, SerialLink, type BytePort } from '../core/src/serial';
import { createHash, randomBytes } from 'node:crypto';
import { StandinBoard } from '../standins/src/board';
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
process.exit(process.exitCode ?? 0);
