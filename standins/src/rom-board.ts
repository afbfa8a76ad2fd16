import {
  checksumOf,
  decodeConfigurationRegion,
  decodePacket,
  encodePacket,
  FAMILY_WORDS,
  isLater,
  ROM,
  SECTOR_BYTES,
  statusBytes,
  type RomFamily,
} from '@dewpost/core/rom-loader';
import { SlipDecoder, slipEncode } from '@dewpost/core/serial';
import type { PortMishap } from '@dewpost/core/mishaps';
import { nodeConfigurationSchema, type NodeConfiguration } from '@dewpost/core/wire';
import { createHash } from 'node:crypto';
import { inflateSync } from 'node:zlib';

/** How long a sector takes to erase, ms: such flashes take some 45 ms. */
const ERASE_MS = 45;
const ERROR = { refused: 0x05, checksum: 0x07, tooLarge: 0x06 } as const;

export interface RomBoardParts {
  readonly family: RomFamily;
  readonly flashBytes: number;
  readonly bytesPerSecond: number;
  /** Where the configuration lies, once the board starts; the image that is written says so. */
  readonly configurationAt: number;
  /** The board starts into what was written. */
  boot(configuration: NodeConfiguration): void;
  /** Erasing takes no time: for tests. */
  readonly instant?: boolean;
}

/**
 * A board fresh from the shop: only the boot loader in its chip's ROM answers, once the control lines have brought it there. Flash,
 * erase times and the line are as slow as they are; what goes wrong is asked for.
 */
export class RomBoard {
  mishap: PortMishap = 'fresh';
  readonly flash: Uint8Array;
  private readonly decoder = new SlipDecoder(16_384);
  private inLoader = false;
  private inReset = false;
  private attached = false;
  private synced = false;
  private write: { at: number; size: number; packets: number; packed: boolean; chunks: Uint8Array[] } | null = null;
  private spoiled = false;
  private sent = 0;
  private busy: Promise<void> = Promise.resolve();
  private send: (bytes: Uint8Array) => void = () => undefined;
  private unplug: () => void = () => undefined;

  constructor(private readonly parts: RomBoardParts) {
    this.flash = new Uint8Array(parts.flashBytes).fill(0xff);
  }

  attach(send: (bytes: Uint8Array) => void, unplug: () => void = () => undefined): void {
    this.send = send;
    this.unplug = unplug;
  }

  /** The control lines: RTS holds it in reset, DTR pulls the boot pin, each only while the other is released. */
  signals(dtr: boolean, rts: boolean): void {
    if (rts && !dtr) {
      this.inReset = true;
      return;
    }
    if (!this.inReset || rts) return;
    this.inReset = false;
    this.inLoader = dtr && this.mishap !== 'fresh-no-boot';
    this.synced = this.attached = false;
    this.write = null;
    // Every start says something in plain text, at a rate of the chip's own.
    this.send(new TextEncoder().encode(this.inLoader ? 'boot: waiting for download\r\n' : 'boot: started from flash\r\n'));
    if (!this.inLoader) this.start();
  }

  receive(bytes: Uint8Array): void {
    this.busy = this.busy.then(async () => {
      await this.pause((bytes.length / this.parts.bytesPerSecond) * 1000);
      for (const frame of this.decoder.push(bytes)) {
        const packet = decodePacket(frame);
        if (packet && !packet.answer && this.inLoader) await this.handle(packet.command, packet.value, packet.data);
      }
    });
  }

  /** Resolves when all that was received has been answered. */
  settled(): Promise<void> {
    return this.busy;
  }

  private async handle(command: number, checksum: number, data: Uint8Array): Promise<void> {
    const { family } = this.parts;
    const view = new DataView(data.buffer, data.byteOffset, data.length);
    const word = (i: number): number => view.getUint32(i * 4, true);
    if (command === ROM.sync) {
      this.synced = true;
      // One greeting, up to eight answers.
      for (let i = 0; i < 8; i++) this.answer(command, 0, new Uint8Array());
      return;
    }
    if (!this.synced || this.mishap === 'fresh-silent') return;
    switch (command) {
      case ROM.readRegister: {
        const other: RomFamily = family === 'rom-slip-1' ? 'rom-slip-2' : 'rom-slip-1';
        return this.answer(command, FAMILY_WORDS[this.mishap === 'fresh-other' ? other : family][0] ?? 0, new Uint8Array());
      }
      case ROM.attach:
        if (!isLater(family)) return this.fail(command, ERROR.refused);
        this.attached = true;
        return this.answer(command, 0, new Uint8Array());
      case ROM.changeRate:
      case ROM.flashParameters:
        return this.answer(command, 0, new Uint8Array());
      case ROM.flashBegin:
      case ROM.packedBegin:
        return this.begin(command, word(0), word(1), word(3));
      case ROM.flashData:
      case ROM.packedData:
        return this.take(command, checksum, word(0), word(1), data.subarray(16));
      case ROM.md5: {
        const digest = createHash('md5')
          .update(this.flash.subarray(word(0), word(0) + word(1)))
          .digest('hex');
        return this.answer(command, 0, new TextEncoder().encode(digest));
      }
      default:
        return this.fail(command, ERROR.refused);
    }
  }

  private async begin(command: number, size: number, packets: number, at: number): Promise<void> {
    if (isLater(this.parts.family) && !this.attached) return this.fail(command, ERROR.refused);
    const flashBytes = this.mishap === 'fresh-small' ? 65_536 : this.parts.flashBytes;
    if (at % SECTOR_BYTES !== 0 || at + size > flashBytes) return this.fail(command, ERROR.tooLarge);
    if (this.mishap === 'fresh-stuck') return;
    const sectors = Math.ceil(size / SECTOR_BYTES);
    await this.pause(sectors * ERASE_MS);
    this.flash.fill(0xff, at, at + sectors * SECTOR_BYTES);
    this.write = { at, size, packets, packed: command === ROM.packedBegin, chunks: [] };
    this.answer(command, 0, new Uint8Array());
  }

  private take(command: number, checksum: number, length: number, sequence: number, payload: Uint8Array): void {
    const { write } = this;
    if (!write || sequence > write.chunks.length || payload.length !== length) return this.fail(command, ERROR.refused);
    const spoil = this.mishap === 'fresh-checksum' && !this.spoiled && sequence === 1;
    if (spoil) this.spoiled = true;
    if (spoil || checksumOf(payload) !== checksum) return this.fail(command, ERROR.checksum);
    this.sent += length;
    if (this.mishap === 'fresh-unplugged' && this.sent > 8192) {
      this.mishap = 'fresh';
      this.sent = 0;
      this.inLoader = false;
      this.unplug();
      return;
    }
    write.chunks[sequence] = payload.slice();
    if (write.chunks.length === write.packets) this.settle(write);
    this.answer(command, 0, new Uint8Array());
  }

  private settle({ at, size, packed, chunks }: NonNullable<RomBoard['write']>): void {
    const stream = Buffer.concat(chunks);
    const bytes = packed ? inflateSync(stream) : stream;
    this.flash.set(bytes.subarray(0, Math.ceil(size / SECTOR_BYTES) * SECTOR_BYTES), at);
    if (this.mishap === 'fresh-digest') this.flash[at + (size >> 1)] = (this.flash[at + (size >> 1)] ?? 0) ^ 0x10;
  }

  /** Starts what lies in its flash, where that is something. */
  private start(): void {
    const parsed = nodeConfigurationSchema.safeParse(decodeConfigurationRegion(this.flash.subarray(this.parts.configurationAt)));
    if (parsed.success) this.parts.boot(parsed.data);
  }

  private answer(command: number, value: number, data: Uint8Array): void {
    const status = new Uint8Array(statusBytes(this.parts.family));
    this.send(slipEncode(encodePacket({ answer: true, command, value, data: Uint8Array.from([...data, ...status]) })));
  }
  private fail(command: number, code: number): void {
    const status = new Uint8Array(statusBytes(this.parts.family));
    status.set([1, code]);
    this.send(slipEncode(encodePacket({ answer: true, command, value: 0, data: status })));
  }
  private pause(ms: number): Promise<void> {
    return this.parts.instant ? Promise.resolve() : new Promise((resolve) => setTimeout(resolve, ms));
  }
}
