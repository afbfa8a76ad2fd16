import type { Socket } from 'node:net';
import { Duplex } from 'node:stream';

/** Largest packet a client may declare, in bytes: before and after it has been let in. */
export const PACKET_LIMITS = { before: 4 * 1024, after: 64 * 1024 } as const;

/** What a client may leave unread before it is dropped, and how long it may keep its socket full: nobody waits for one that does not read. */
export const UNREAD_LIMITS = { bytes: 256 * 1024, drainMs: 5000 } as const;

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
  /** Does it come by TLS? */
  get secure(): boolean {
    return 'encrypted' in this.socket;
  }
  private letIn = false;
  private full: NodeJS.Timeout | null = null;

  constructor(
    private readonly socket: Socket,
    private readonly onTooLarge: () => void,
    private readonly onUnread: () => void = () => undefined,
  ) {
    super({ allowHalfOpen: false });
    socket.on('drain', () => this.drained());
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
    // Taken at once: a broker that waited for one client to read would keep all others waiting.
    done();
    if (this.socket.destroyed) return;
    if (this.socket.write(chunk, encoding)) return;
    if (this.socket.writableLength > UNREAD_LIMITS.bytes) this.dropUnread();
    else this.full ??= setTimeout(() => this.dropUnread(), UNREAD_LIMITS.drainMs).unref();
  }

  private drained(): void {
    if (this.full) clearTimeout(this.full);
    this.full = null;
  }

  private dropUnread(): void {
    this.onUnread();
    this.destroy();
  }

  override _final(done: () => void): void {
    this.socket.end(done);
  }

  override _destroy(error: Error | null, done: (error: Error | null) => void): void {
    this.drained();
    this.socket.destroy();
    done(error);
  }
}
