import type { Socket } from 'node:net';
import { Duplex } from 'node:stream';

/** Largest packet a client may declare, in bytes: before and after it has been let in. */
export const PACKET_LIMITS = { before: 4 * 1024, after: 64 * 1024 } as const;

/**
 * Follows the MQTT packet boundaries in a byte stream (fixed header: one byte, then a length of one to four bytes, MQTT 3.1.1
 * §2.2) and says when a packet is declared larger than allowed, without waiting for its body.
 */
export class PacketSizes {
  private bodyLeft = 0;
  private state: 'type' | 'length' | 'body' = 'type';
  private length = 0;
  private shift = 0;

  /** False as soon as these bytes declare a packet above `limit`, or a length of five bytes. */
  accept(chunk: Uint8Array, limit: number): boolean {
    let i = 0;
    while (i < chunk.length) {
      if (this.state === 'body') {
        const taken = Math.min(this.bodyLeft, chunk.length - i);
        this.bodyLeft -= taken;
        i += taken;
        if (this.bodyLeft === 0) this.state = 'type';
        continue;
      }
      const byte = chunk[i++] as number;
      if (this.state === 'type') {
        this.state = 'length';
        this.length = this.shift = 0;
        continue;
      }
      this.length |= (byte & 0x7f) << this.shift;
      this.shift += 7;
      if (this.length > limit) return false;
      if (byte & 0x80) {
        if (this.shift >= 28) return false;
        continue;
      }
      this.bodyLeft = this.length;
      this.state = this.length > 0 ? 'body' : 'type';
    }
    return true;
  }
}

/** A socket seen through the guard: the broker reads and writes here, and never sees a packet that is too large. */
export class GuardedStream extends Duplex {
  private readonly sizes = new PacketSizes();
  private letIn = false;

  constructor(
    private readonly socket: Socket,
    private readonly onTooLarge: () => void,
  ) {
    super({ allowHalfOpen: false });
    socket.on('data', (chunk: Buffer) => {
      if (!this.sizes.accept(chunk, this.letIn ? PACKET_LIMITS.after : PACKET_LIMITS.before)) {
        this.onTooLarge();
        this.destroy();
        return;
      }
      if (!this.push(chunk)) socket.pause();
    });
    socket.on('end', () => this.push(null));
    socket.on('close', () => this.destroy());
    socket.on('error', () => this.destroy());
  }

  /** From here on the larger limit holds. */
  admit(): void {
    this.letIn = true;
  }

  override _read(): void {
    this.socket.resume();
  }

  override _write(chunk: Buffer, encoding: BufferEncoding, done: (error?: Error | null) => void): void {
    if (this.socket.destroyed) done();
    else this.socket.write(chunk, encoding, () => done());
  }

  override _final(done: () => void): void {
    this.socket.end(done);
  }

  override _destroy(error: Error | null, done: (error: Error | null) => void): void {
    this.socket.destroy();
    done(error);
  }
}
