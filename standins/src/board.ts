import {
  ANSWER,
  CHUNK_BYTES,
  decodeBegin,
  decodeChunk,
  decodeFrame,
  encodeHeld,
  encodeFrame,
  FRAME,
  SlipDecoder,
  STATUS,
  type Frame,
  type Identity,
  type SerialLog,
  type StatusName,
} from '@dewpost/core/serial';
import { GATEWAY_WINDOW_SECONDS } from '@dewpost/core/leaf';
import type { PortMishap } from '@dewpost/core/mishaps';
import { nodeConfigurationSchema, type NodeConfiguration } from '@dewpost/core/wire';
import { createHash, randomBytes } from 'node:crypto';
import { SLOT_BYTES } from './updater';

const STORE_BYTES = 512;

/**
 * A board that holds our loader, at the far end of a serial port: answers identify, begin, chunk, finish, configure and
 * restart as docs/serial-protocol.md says, checks the image's SHA-256 and stores its configuration.
 */
export class StandinBoard {
  readonly hardwareId = `dw-${randomBytes(4).toString('hex')}`;
  mishap: PortMishap = 'none';
  private readonly decoder = new SlipDecoder(CHUNK_BYTES + 64);
  private image: { bytes: Uint8Array; sha256: Uint8Array; version: string; filled: number } | null = null;
  private proved: { version: string; sha256: string } | null = null;
  private configuration: NodeConfiguration | null = null;
  private startedAt = performance.now();
  private readonly poweredAt = performance.now();
  private send: (bytes: Uint8Array) => void = () => undefined;
  private close: () => void = () => undefined;
  private frames = 0;
  private late: Uint8Array | null = null;
  private busy: Promise<void> = Promise.resolve();

  constructor(
    readonly profile: string,
    private readonly parts: {
      bytesPerSecond: number;
      /** The loader has been entered: what ran on the board runs no more. */
      enter(board: StandinBoard): void;
      /** The board restarts into what was written to it. */
      boot(board: StandinBoard, configuration: NodeConfiguration, firmware: { version: string; sha256: string }): void;
    },
  ) {}

  /** Where its answers and log lines go; a port that is opened anew replaces the last. */
  attach(send: (bytes: Uint8Array) => void, close: () => void = () => undefined): void {
    this.close = close;
    this.late = null;
    this.send = (bytes) => {
      if (this.mishap !== 'out-of-order') return send(bytes);
      // Every answer comes behind one that is stale, and twice.
      if (this.late) send(this.late);
      this.late = bytes;
      send(bytes);
      send(bytes);
    };
  }

  /** Bytes from the port, answered in order and no faster than the line is. */
  receive(bytes: Uint8Array): void {
    this.busy = this.busy.then(async () => {
      await new Promise((resolve) => setTimeout(resolve, (bytes.length / this.parts.bytesPerSecond) * 1000));
      for (const packet of this.decoder.push(bytes)) {
        const frame = decodeFrame(packet);
        // A spoiled frame is not answered: the other side sends it again.
        if (frame && !this.swallows(frame)) this.handle(frame);
      }
    });
  }

  /** Does the mishap of the moment keep this frame from being answered? */
  private swallows(frame: Frame): boolean {
    this.frames++;
    if (this.mishap === 'no-answer') return true;
    if (this.mishap === 'lost-frames') return this.frames % 17 === 0;
    if (this.mishap === 'bit-flips' && this.frames % 13 === 0) {
      // What comes back is spoiled instead.
      this.send(Uint8Array.from([0xc0, frame.kind, 0x55, 0xaa, 1, 2, 3, 4, 0xc0]));
      return true;
    }
    if (this.mishap === 'port-closed' && frame.kind === FRAME.chunk && (this.image?.filled ?? 0) > (this.image?.bytes.length ?? 0) / 2) {
      this.mishap = 'none';
      this.close();
      return true;
    }
    return false;
  }

  /** Seconds for which a gateway still takes settings; other boards take them always. */
  private windowSeconds(): number | null {
    if (!this.profile.startsWith('gateway')) return null;
    return Math.max(0, Math.round(GATEWAY_WINDOW_SECONDS - (performance.now() - this.poweredAt) / 1000));
  }

  /** It was written whole, past this loader: it starts with what lies in its flash. */
  startWith(configuration: NodeConfiguration, firmware: { version: string; sha256: string }): void {
    this.configuration = configuration;
    this.proved = firmware;
    this.startedAt = performance.now();
    this.log('boot', `dewnode ${firmware.version}, cold start`);
    this.log('conf', `region of the configuration read, node ${configuration.node}`);
    this.parts.boot(this, configuration, firmware);
  }

  log(tag: string, text: string, code?: string, heard?: SerialLog['heard']): void {
    const line: SerialLog = {
      ms: Math.round(performance.now() - this.startedAt),
      tag,
      text,
      ...(code && { code }),
      ...(heard && { heard }),
    };
    this.send(encodeFrame({ kind: FRAME.log, sequence: 0, payload: new TextEncoder().encode(JSON.stringify(line)) }));
  }

  private handle(frame: Frame): void {
    const answer = (status: StatusName, rest: Uint8Array | string = ''): void => {
      const text = typeof rest === 'string' ? new TextEncoder().encode(rest) : rest;
      this.send(encodeFrame({ kind: frame.kind | ANSWER, sequence: frame.sequence, payload: Uint8Array.from([STATUS[status], ...text]) }));
    };
    switch (frame.kind) {
      case FRAME.identify: {
        this.parts.enter(this);
        const identity: Identity = {
          hardwareId: this.hardwareId,
          board: this.mishap === 'wrong-board' ? 'wifi-single-30' : this.profile,
          loader: '1.0',
          slotBytes: SLOT_BYTES,
          holds: this.proved?.sha256 ?? null,
          windowSeconds: this.windowSeconds(),
        };
        return answer('ok', JSON.stringify(identity));
      }
      case FRAME.begin: {
        const begin = decodeBegin(frame.payload);
        if (!begin) return answer('badFrame');
        if (begin.size > SLOT_BYTES) return answer('tooLarge', `the slot holds ${SLOT_BYTES} bytes`);
        // Begun before and cut off: what stands of this very image is kept.
        const same =
          this.image && Buffer.from(this.image.sha256).equals(Buffer.from(begin.sha256)) && this.image.bytes.length === begin.size;
        if (!same) {
          this.image = { bytes: new Uint8Array(begin.size), sha256: begin.sha256, version: begin.version, filled: 0 };
          this.log('flash', `erasing, ${begin.size} bytes for dewnode ${begin.version}`);
        }
        this.proved = null;
        if (this.mishap === 'stuck-erasing') return;
        return answer('ok', encodeHeld(this.image?.filled ?? 0));
      }
      case FRAME.chunk: {
        const chunk = decodeChunk(frame.payload);
        if (!chunk) return answer('badFrame');
        if (!this.image) return answer('badOrder', 'begin first');
        // A chunk sent again (its answer was lost) is written again; one that leaves a hole is refused.
        if (chunk.offset > this.image.filled || chunk.offset + chunk.bytes.length > this.image.bytes.length)
          return answer('badOffset', `expected ${this.image.filled}`);
        this.image.bytes.set(chunk.bytes, chunk.offset);
        this.image.filled = Math.max(this.image.filled, chunk.offset + chunk.bytes.length);
        return answer('ok');
      }
      case FRAME.finish:
        return this.finish(answer);
      case FRAME.configure:
        return this.configure(frame.payload, answer);
      case FRAME.blink:
        this.log('lamp', 'blinking');
        return answer('ok');
      case FRAME.restart: {
        if (!this.proved || !this.configuration) return answer('badOrder', 'no proved image or no configuration');
        answer('ok');
        this.startedAt = performance.now();
        if (this.mishap === 'brown-out') {
          // The radio's first burst pulls the supply down, and it begins again.
          for (let i = 1; i <= 4; i++)
            setTimeout(() => this.log('boot', `dewnode, start ${i}: reset by brown-out at the radio's first burst`, 'brown-out'), i * 300);
          this.mishap = 'none';
          return;
        }
        this.log('boot', `dewnode ${this.proved.version}, cold start`);
        this.log('conf', `sheet ${this.configuration.sheet}, node ${this.configuration.node}`);
        this.parts.boot(this, this.configuration, this.proved);
        return;
      }
      default:
        return answer('badFrame', `unknown request ${frame.kind}`);
    }
  }

  private finish(answer: (status: StatusName, rest?: string) => void): void {
    const image = this.image;
    if (!image || image.filled < image.bytes.length) return answer('badOrder', `only ${image?.filled ?? 0} bytes written`);
    if (this.mishap === 'digest') image.bytes[image.bytes.length >> 1] = (image.bytes[image.bytes.length >> 1] ?? 0) ^ 0x10;
    const read = createHash('sha256').update(image.bytes).digest('hex');
    const sent = Buffer.from(image.sha256).toString('hex');
    this.log('flash', `read back ${read.slice(0, 16)}`);
    if (read !== sent) {
      this.log('flash', 'digest of what was written differs', 'digest-mismatch');
      this.image = null;
      return answer('digestMismatch', read);
    }
    this.proved = { version: image.version, sha256: read };
    answer('ok', read);
  }

  private configure(payload: Uint8Array, answer: (status: StatusName, rest?: string) => void): void {
    let body: unknown;
    try {
      body = JSON.parse(new TextDecoder().decode(payload));
    } catch {
      return answer('badConfiguration', 'not JSON');
    }
    const parsed = nodeConfigurationSchema.safeParse(body);
    if (!parsed.success) return answer('badConfiguration', parsed.error.issues[0]?.path.join('.') ?? '');
    if (this.mishap === 'full-store') return answer('storeFull', `the store has ${STORE_BYTES} bytes, ${payload.length} are needed`);
    if (this.windowSeconds() === 0) return answer('windowClosed', 'it takes settings only in its first minutes after power-up');
    this.configuration = parsed.data;
    this.log('conf', 'stored; node key ••••••, network ••••••');
    answer('ok');
  }
}
