import type { After, BytePort } from '../serial/link';
import { LinkError } from '../serial/link';
import { SlipDecoder } from '../serial/slip';
import { decodePacket, type RomPacket } from './packets';
import type { Event, Order, Progress } from './session';

/** A byte port whose control lines can be set and whose rate can be changed. */
export interface SignalPort extends BytePort {
  signals(dtr: boolean, rts: boolean): Promise<void>;
  rate(baud: number): Promise<void>;
}

/** Carries out the orders of sessions at a port. Text of the chip, which is no frame, goes to `onText`. */
export class RomDriver {
  private readonly decoder = new SlipDecoder(16_384);
  private readonly answers: RomPacket[] = [];
  private waiting: { command: number; take: (packet: RomPacket) => void } | null = null;
  private lost: string | null = null;
  private onLost: (why: string) => void = () => undefined;

  constructor(
    private readonly port: SignalPort,
    private readonly after: After,
    private readonly tells: { progress(progress: Progress): void; text(text: string): void },
  ) {
    port.onBytes((bytes) => {
      for (const frame of this.decoder.push(bytes)) this.take(frame);
    });
    port.onClosed((why) => {
      this.lost = why;
      this.onLost(why);
    });
  }

  /** Runs a session to its end. Rejects with what it throws, and with `LinkError` where the port is lost. */
  async run<T>(session: Generator<Order, T, Event>): Promise<T> {
    let event: Event = 'done';
    for (;;) {
      if (this.lost !== null) throw new LinkError('portLost', `The port was lost: ${this.lost}`);
      const next: IteratorResult<Order, T> = session.next(event);
      if (next.done) return next.value;
      event = await this.carryOut(next.value);
    }
  }

  private async carryOut(order: Order): Promise<Event> {
    switch (order.do) {
      case 'signals':
        await this.port.signals(order.dtr, order.rts);
        return 'done';
      case 'rate':
        await this.port.rate(order.baud);
        return 'done';
      case 'wait':
        await new Promise<void>((resolve) => void this.after(order.ms, resolve));
        return 'done';
      case 'drain':
        this.answers.length = 0;
        return 'done';
      case 'send':
        this.port.write(order.bytes);
        return 'done';
      case 'tell':
        this.tells.progress(order.progress);
        return 'done';
      case 'expect':
        return this.expect(order.command, order.ms);
    }
  }

  private expect(command: number, ms: number): Promise<Event> {
    const here = this.answers.findIndex((one) => one.command === command);
    const [answer] = here === -1 ? [] : this.answers.splice(here, 1);
    if (answer) return Promise.resolve({ answer });
    return new Promise((resolve, reject) => {
      const end = (act: () => void): void => {
        cancel();
        this.waiting = null;
        this.onLost = () => undefined;
        act();
      };
      const cancel = this.after(ms, () => end(() => resolve('late')));
      this.waiting = { command, take: (packet) => end(() => resolve({ answer: packet })) };
      this.onLost = (why) => end(() => reject(new LinkError('portLost', `The port was lost: ${why}`)));
    });
  }

  private take(frame: Uint8Array): void {
    const packet = decodePacket(frame);
    if (!packet?.answer) {
      const text = new TextDecoder()
        .decode(frame)
        .replace(/[^\x20-\x7e\n]/g, '·')
        .trim();
      if (text !== '') this.tells.text(text);
      return;
    }
    if (this.waiting?.command === packet.command) this.waiting.take(packet);
    else this.answers.push(packet);
  }
}
