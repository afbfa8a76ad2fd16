import { ANSWER, decodeChunk, decodeFrame, encodeFrame, encodeHeld, FRAME, SlipDecoder, STATUS, type BytePort } from '@dewpost/core/serial';

export const IMAGE = Uint8Array.from({ length: 3000 }, (_, i) => i % 251);
export const SHA256 = 'ab'.repeat(32);
export const text = (value: unknown): Uint8Array => new TextEncoder().encode(typeof value === 'string' ? value : JSON.stringify(value));

/** A board of the test's own: answers every request, or what it was told to answer instead. */
export class Board {
  readonly written = new Uint8Array(IMAGE.length);
  readonly offsets: number[] = [];
  configuration = '';
  closed = false;
  private listener: (bytes: Uint8Array) => void = () => undefined;
  private lost: (why: string) => void = () => undefined;
  private readonly decoder = new SlipDecoder();
  constructor(
    private readonly how: {
      digest?: 'mismatch';
      join?: string[];
      unplugAt?: number;
      /** Digest of the image it holds, proved, and bytes it holds of one that was cut off. */
      holds?: string;
      heldBytes?: number;
      heard?: { name: string; dbm: number }[];
      full?: boolean;
      isA?: string;
    },
  ) {}

  readonly port: BytePort = {
    write: (bytes) => {
      for (const packet of this.decoder.push(bytes)) queueMicrotask(() => this.take(packet));
    },
    onBytes: (listener) => (this.listener = listener),
    onClosed: (listener) => (this.lost = listener),
    close: () => (this.closed = true),
  };

  private take(packet: Uint8Array): void {
    const frame = decodeFrame(packet)!;
    const answer = (status: number, rest: Uint8Array = new Uint8Array()): void =>
      this.listener(encodeFrame({ kind: frame.kind | ANSWER, sequence: frame.sequence, payload: Uint8Array.from([status, ...rest]) }));
    switch (frame.kind) {
      case FRAME.identify:
        return answer(
          STATUS.ok,
          text({ hardwareId: 'dw-test', board: this.how.isA ?? 'a board', loader: '1', slotBytes: 100_000, holds: this.how.holds ?? null }),
        );
      case FRAME.begin:
        return answer(STATUS.ok, encodeHeld(this.how.heldBytes ?? 0));
      case FRAME.chunk: {
        const chunk = decodeChunk(frame.payload)!;
        if (this.how.unplugAt !== undefined && chunk.offset >= this.how.unplugAt) return this.lost('unplugged');
        this.offsets.push(chunk.offset);
        this.written.set(chunk.bytes, chunk.offset);
        return answer(STATUS.ok);
      }
      case FRAME.finish:
        return this.how.digest ? answer(STATUS.digestMismatch, text('beef')) : answer(STATUS.ok, text('abcd'));
      case FRAME.configure:
        if (this.how.full) return answer(STATUS.storeFull, text('512 bytes'));
        this.configuration = new TextDecoder().decode(frame.payload);
        return answer(STATUS.ok);
      case FRAME.restart: {
        answer(STATUS.ok);
        for (const code of this.how.join ?? ['joined'])
          this.listener(
            encodeFrame({
              kind: FRAME.log,
              sequence: 0,
              payload: text({
                ms: 5,
                tag: 'join',
                text: code === 'joined' ? 'joined wrenfold-nodes' : 'refused',
                code,
                heard: this.how.heard,
              }),
            }),
          );
        return;
      }
      default:
        return answer(STATUS.ok);
    }
  }
}
