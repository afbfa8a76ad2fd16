import { bytesToHex, concatBytes } from '@noble/hashes/utils.js';
import {
  BLOCK_BYTES,
  FAMILY_REGISTER,
  FAMILY_WORDS,
  FAST_RATE,
  FIRST_RATE,
  FLASH_MASK,
  isLater,
  PACKET_BYTES,
  PAGE_BYTES,
  ROM,
  ROM_FAMILIES,
  SECTOR_BYTES,
  statusBytes,
  SYNC_TRIES,
  TIMES,
  type RomFamily,
} from './numbers';
import { checksumOf, request, syncData, words, type RomPacket } from './packets';

/** What is to be done next; whoever does it answers with an `Event`. Time passes only where an order says so. */
export type Order =
  | { readonly do: 'signals'; readonly dtr: boolean; readonly rts: boolean }
  | { readonly do: 'wait'; readonly ms: number }
  /** The port is to go on at this rate. */
  | { readonly do: 'rate'; readonly baud: number }
  /** What has come and is not read yet is dropped. */
  | { readonly do: 'drain' }
  | { readonly do: 'send'; readonly bytes: Uint8Array }
  /** The next answer to this command, within `ms`. */
  | { readonly do: 'expect'; readonly command: number; readonly ms: number }
  /** How far it is, for who looks on. */
  | { readonly do: 'tell'; readonly progress: Progress };
export type Event = { readonly answer: RomPacket } | 'late' | 'done';

export type Progress =
  | { readonly kind: 'waiting for the boot loader'; readonly tries: number }
  | { readonly kind: 'erasing'; readonly bytes: number; readonly longestMs: number }
  | { readonly kind: 'writing'; readonly sent: number; readonly of: number };

/** Causes, by name: each has its remedy at the bench. */
export type RomFault =
  'no-boot-mode' | 'other-family' | 'silent-after-sync' | 'stuck-erasing' | 'flash-too-small' | 'checksum' | 'digest-differs' | 'refused';

export class RomError extends Error {
  constructor(
    readonly fault: RomFault,
    message: string,
  ) {
    super(message);
    this.name = 'RomError';
  }
}

/** How a board is brought into its boot loader. `button`: a person holds one down. */
export type ResetWay = 'two transistors' | 'usb inside' | 'button';
type Session<T> = Generator<Order, T, Event>;

function* signals(dtr: boolean, rts: boolean, ms: number): Session<void> {
  yield { do: 'signals', dtr, rts };
  yield { do: 'wait', ms };
}

function* resetInto(way: ResetWay): Session<void> {
  if (way === 'button') return;
  if (way === 'usb inside') {
    yield* signals(false, false, TIMES.usbReset);
    yield* signals(true, false, TIMES.usbReset);
    yield* signals(false, true, TIMES.usbReset);
    yield { do: 'signals', dtr: false, rts: false };
    return;
  }
  yield* signals(false, true, TIMES.reset);
  yield* signals(true, false, TIMES.bootPin);
  yield { do: 'signals', dtr: false, rts: false };
}

/** Out of the loader again: the board starts what lies in its flash. */
export function* restart(): Session<void> {
  yield* signals(false, true, TIMES.reset);
  yield { do: 'signals', dtr: false, rts: false };
}

/** Brings the board into its boot loader and syncs with it. `rounds`: how often it is reset anew before that is given up. */
export function* enter(way: ResetWay, rounds = 3): Session<void> {
  yield { do: 'rate', baud: FIRST_RATE };
  for (let round = 0; round < rounds; round++) {
    yield { do: 'tell', progress: { kind: 'waiting for the boot loader', tries: round } };
    yield* resetInto(way);
    for (let i = 0; i < SYNC_TRIES; i++) {
      yield { do: 'drain' };
      yield { do: 'send', bytes: request(ROM.sync, syncData()) };
      const heard = yield { do: 'expect', command: ROM.sync, ms: TIMES.syncAnswer };
      if (typeof heard !== 'object') continue;
      // Up to eight answers come for one: the others are not to be taken for what is asked next.
      yield { do: 'wait', ms: TIMES.rateSettles };
      yield { do: 'drain' };
      return;
    }
  }
  throw new RomError('no-boot-mode', `no answer to ${rounds * SYNC_TRIES} greetings`);
}

/** Asks, and gives the answer's data and value. Throws where none comes in time, or it is a refusal. */
function* ask(
  family: RomFamily,
  command: number,
  data: Uint8Array,
  { checksum = 0, ms = TIMES.answer as number, silent = 'silent-after-sync' as RomFault } = {},
): Session<{ value: number; data: Uint8Array }> {
  yield { do: 'send', bytes: request(command, data, checksum) };
  const heard = yield { do: 'expect', command, ms };
  if (typeof heard !== 'object') throw new RomError(silent, `no answer to command ${command} in ${ms / 1000} s`);
  const { answer } = heard;
  const end = answer.data.length - statusBytes(family);
  if (end < 0) throw new RomError('refused', `the answer to command ${command} is cut short`);
  const [failed = 1, code = 0] = answer.data.subarray(end);
  if (failed !== 0) throw new RomError(code === 0x07 ? 'checksum' : 'refused', `command ${command} was refused, error ${code}`);
  return { value: answer.value, data: answer.data.subarray(0, end) };
}

/** Which family it is, by the word that tells; throws where it is none of those known, or another than `wanted`. */
export function* identify(wanted: RomFamily): Session<RomFamily> {
  const { value } = yield* ask(wanted, ROM.readRegister, words(FAMILY_REGISTER));
  const family = ROM_FAMILIES.find((one) => FAMILY_WORDS[one].includes(value >>> 0));
  if (family === wanted) return family;
  const said = `0x${(value >>> 0).toString(16).padStart(8, '0')}`;
  throw new RomError(
    'other-family',
    family ? `the chip is of ${family}, the board profile says ${wanted}` : `the chip says ${said}, which is not known here`,
  );
}

/** Attaches the flash, tells its size, and goes on at a higher rate where the loader can. */
export function* prepare(family: RomFamily, flashBytes: number, rate: number = FAST_RATE): Session<void> {
  if (isLater(family)) {
    yield* ask(family, ROM.attach, words(0, 0));
    if (rate !== FIRST_RATE) {
      yield* ask(family, ROM.changeRate, words(rate, 0));
      yield { do: 'rate', baud: rate };
      yield { do: 'wait', ms: TIMES.rateSettles };
      yield { do: 'drain' };
    }
  }
  yield* ask(family, ROM.flashParameters, words(0, flashBytes, BLOCK_BYTES, SECTOR_BYTES, PAGE_BYTES, FLASH_MASK));
}

/** A stretch of bytes for the flash; `packed`: the same as a zlib stream, where it is to go compressed. */
export interface FlashWrite {
  readonly at: number;
  readonly bytes: Uint8Array;
  readonly packed: Uint8Array | null;
}

const megabytes = (bytes: number): number => bytes / (1024 * 1024);
const eraseMs = (bytes: number): number => Math.round(TIMES.eraseLeast + megabytes(bytes) * TIMES.erasePerMegabyte);

/** Writes one stretch: erases at once, then packet by packet. `sent` counts bytes on the line, of `of` in all. */
export function* write(family: RomFamily, { at, bytes, packed }: FlashWrite, progress: { sent: number; of: number }): Session<number> {
  const stream = isLater(family) && packed ? packed : bytes;
  const compressed = stream === packed;
  const packets = Math.ceil(stream.length / PACKET_BYTES);
  const erased = Math.ceil(bytes.length / SECTOR_BYTES) * SECTOR_BYTES;
  const longestMs = eraseMs(erased);
  yield { do: 'tell', progress: { kind: 'erasing', bytes: erased, longestMs } };
  const size = compressed ? bytes.length : erased;
  const begin = words(size, packets, PACKET_BYTES, at, ...(family === 'rom-slip-3' ? [0] : []));
  yield* ask(family, compressed ? ROM.packedBegin : ROM.flashBegin, begin, { ms: longestMs, silent: 'stuck-erasing' });
  let { sent } = progress;
  for (let i = 0; i < packets; i++) {
    const chunk = stream.subarray(i * PACKET_BYTES, (i + 1) * PACKET_BYTES);
    // A plain packet is always whole; a compressed one is as long as it is.
    const payload =
      compressed || chunk.length === PACKET_BYTES ? chunk : concatBytes(chunk, new Uint8Array(PACKET_BYTES - chunk.length).fill(0xff));
    const data = concatBytes(words(payload.length, i, 0, 0), payload);
    const command = compressed ? ROM.packedData : ROM.flashData;
    for (let attempt = 1; ; attempt++) {
      try {
        yield* ask(family, command, data, { checksum: checksumOf(payload) });
        break;
      } catch (error) {
        if (!(error instanceof RomError) || error.fault !== 'checksum' || attempt >= 3) throw error;
      }
    }
    sent += chunk.length;
    yield { do: 'tell', progress: { kind: 'writing', sent, of: progress.of } };
  }
  return sent;
}

/** The chip's own MD5 of what lies in its flash, 32 small hexadecimal digits. */
export function* digestOf(family: RomFamily, at: number, length: number): Session<string> {
  const ms = Math.round(TIMES.md5Least + megabytes(length) * TIMES.md5PerMegabyte);
  const { data } = yield* ask(family, ROM.md5, words(at, length, 0, 0), { ms });
  // The loader in the ROM says it as text; some that replaced it say the 16 bytes themselves.
  return data.length >= 32 ? new TextDecoder().decode(data.subarray(0, 32)).toLowerCase() : bytesToHex(data.subarray(0, 16));
}

/** Proves a stretch: the chip's digest against ours. Throws where they differ. */
export function* prove(family: RomFamily, at: number, length: number, md5: string): Session<void> {
  const read = yield* digestOf(family, at, length);
  if (read !== md5) throw new RomError('digest-differs', `the chip reads ${read} at 0x${at.toString(16)}, written was ${md5}`);
}
