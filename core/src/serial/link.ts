import { ANSWER, decodeFrame, encodeFrame, FRAME, statusName, type RequestKind, type StatusName } from './frame';
import { serialLogSchema, type SerialLog } from './messages';
import { SlipDecoder } from './slip';

/** A byte stream to a board: the browser's serial port or a stand-in's. */
export interface BytePort {
  write(bytes: Uint8Array): void;
  onBytes(listener: (bytes: Uint8Array) => void): void;
  onClosed(listener: (why: string) => void): void;
  close(): void;
}

/** Timers passed in, so that the link itself knows no clock. Returns how to cancel. */
export type After = (ms: number, run: () => void) => () => void;

/** Something went wrong on the link; `code` is stable, the message is for people. */
export class LinkError extends Error {
  constructor(
    readonly code: StatusName | 'noAnswer' | 'portLost',
    message: string,
    readonly detail = '',
  ) {
    super(message);
    this.name = 'LinkError';
  }
}

interface Waiting {
  kind: RequestKind;
  sequence: number;
  resolve: (payload: Uint8Array) => void;
  reject: (error: LinkError) => void;
  cancel: () => void;
}

/**
 * Requests over a byte port, one at a time, each answered. A request whose answer does not come (a spoiled frame,
 * say) is sent again up to three times; requests are safe to repeat.
 */
export class SerialLink {
  private readonly decoder = new SlipDecoder();
  private waiting: Waiting | null = null;
  private sequence = 0;
  private lost: string | null = null;
  private logListener: (line: SerialLog) => void = () => undefined;

  constructor(
    private readonly port: BytePort,
    private readonly after: After,
    private readonly answerMs = 2000,
  ) {
    port.onBytes((bytes) => {
      for (const packet of this.decoder.push(bytes)) this.take(packet);
    });
    port.onClosed((why) => {
      this.lost = why;
      this.settle((w) => w.reject(new LinkError('portLost', `The port was lost: ${why}`)));
    });
  }

  onLog(listener: (line: SerialLog) => void): void {
    this.logListener = listener;
  }

  /** Sends one request and gives the answer's payload after its status byte. Rejects with `LinkError`. */
  async request(kind: RequestKind, payload: Uint8Array = new Uint8Array(0)): Promise<Uint8Array> {
    if (this.lost !== null) throw new LinkError('portLost', `The port was lost: ${this.lost}`);
    if (this.waiting) throw new Error('one request at a time');
    const sequence = (this.sequence = (this.sequence + 1) & 0xff);
    const bytes = encodeFrame({ kind: FRAME[kind], sequence, payload });
    for (let attempt = 1; ; attempt++) {
      try {
        return await this.once(kind, sequence, bytes);
      } catch (error) {
        const again = error instanceof LinkError && (error.code === 'noAnswer' || error.code === 'badFrame') && attempt < 3;
        if (!again) throw error;
      }
    }
  }

  close(): void {
    this.port.close();
  }

  private once(kind: RequestKind, sequence: number, bytes: Uint8Array): Promise<Uint8Array> {
    return new Promise((resolve, reject) => {
      const cancel = this.after(this.answerMs, () =>
        this.settle((w) => w.reject(new LinkError('noAnswer', `No answer to ${kind} in ${this.answerMs / 1000} s`))),
      );
      this.waiting = { kind, sequence, resolve, reject, cancel };
      this.port.write(bytes);
    });
  }

  private settle(act: (waiting: Waiting) => void): void {
    const waiting = this.waiting;
    if (!waiting) return;
    this.waiting = null;
    waiting.cancel();
    act(waiting);
  }

  private take(packet: Uint8Array): void {
    const frame = decodeFrame(packet);
    if (!frame) return; // spoiled on the line: the request is repeated when its answer stays out
    if (frame.kind === FRAME.log) {
      const line = parseLog(frame.payload);
      if (line) this.logListener(line);
      return;
    }
    const waiting = this.waiting;
    if (!waiting || frame.kind !== (FRAME[waiting.kind] | ANSWER) || frame.sequence !== waiting.sequence) return;
    const status = statusName(frame.payload[0]);
    const rest = frame.payload.slice(1);
    this.settle((w) => {
      if (status === 'ok') w.resolve(rest);
      else w.reject(new LinkError(status, `The board answered ${w.kind} with ${status}`, new TextDecoder().decode(rest)));
    });
  }
}

function parseLog(payload: Uint8Array): SerialLog | null {
  try {
    return serialLogSchema.parse(JSON.parse(new TextDecoder().decode(payload)));
  } catch {
    return null; // a board's log line is a courtesy; one that cannot be read is left out
  }
}
