import { DATAGRAM, encodeDatagram, isProved, judgeSequence, readDatagram, type HeardOf } from '@dewpost/core/leaf';
import { createSocket, type RemoteInfo, type Socket } from 'node:dgram';

/**
 * The leaf side of a gateway: takes datagrams on its access point's network, proves each with its leaf's key, publishes a word
 * once and answers its repeats, so that a leaf whose answer was lost can go to sleep.
 */
export class LeafGateway {
  private readonly leaves = new Map<string, { key: string; heard: HeardOf | null }>();
  private socket: Socket | null = null;
  /** What was not taken, by reason: told on its log now and then. */
  readonly refused = { unknown: 0, unproved: 0, replayed: 0 };
  /** Answers that get lost on purpose. */
  dropAnswers = 0;

  constructor(private readonly publish: (leaf: string, body: string) => void) {}

  /** Leaves that are listed under it; what was heard of those that stay is kept. */
  setLeaves(leaves: readonly { node: string; key: string }[]): void {
    for (const name of [...this.leaves.keys()]) if (!leaves.some(({ node }) => node === name)) this.leaves.delete(name);
    for (const { node, key } of leaves) {
      const known = this.leaves.get(node);
      // A new key is another leaf: it counts from its own beginning.
      this.leaves.set(node, { key, heard: known?.key === key ? known.heard : null });
    }
  }

  /** Listens on loopback; resolves with the port. */
  listen(port: number): Promise<number> {
    const socket = createSocket('udp4');
    this.socket = socket;
    socket.on('message', (bytes, from) => this.take(new Uint8Array(bytes), from));
    return new Promise((resolve, reject) => {
      socket.once('error', reject);
      socket.bind(port, '127.0.0.1', () => {
        socket.off('error', reject);
        // A leaf that went to sleep before its answer came is no reason to fall over.
        socket.on('error', () => undefined);
        resolve(socket.address().port);
      });
    });
  }

  close(): void {
    this.socket?.close();
    this.socket = null;
  }

  private take(bytes: Uint8Array, from: RemoteInfo): void {
    const word = readDatagram(bytes);
    if (!word || word.kind !== DATAGRAM.word) return;
    const leaf = this.leaves.get(word.leaf);
    if (!leaf) return void this.refused.unknown++;
    if (!isProved(bytes, leaf.key)) return void this.refused.unproved++;
    const { verdict, heard } = judgeSequence(leaf.heard, word.sequence);
    leaf.heard = heard;
    if (verdict === 'replay') return void this.refused.replayed++;
    if (verdict === 'new') this.publish(word.leaf, word.body);
    if (this.dropAnswers > 0) {
      this.dropAnswers--;
      return;
    }
    const body = JSON.stringify({ t: Date.now() });
    this.socket?.send(
      encodeDatagram({ kind: DATAGRAM.answer, leaf: word.leaf, sequence: word.sequence, body }, leaf.key),
      from.port,
      from.address,
    );
  }
}

/** A leaf sends one word until it is answered: copies, then repeats after 0.1, 1 and 10 s. Resolves with the copies sent, and whether it was answered. */
export function sendWord(
  bytes: Uint8Array,
  to: { host: string; port: number },
  times: readonly number[],
  isAnswer: (bytes: Uint8Array) => boolean,
): Promise<{ sent: number; answered: boolean }> {
  return new Promise((resolve) => {
    const socket = createSocket('udp4');
    let sent = 0;
    const timers: NodeJS.Timeout[] = [];
    const over = (answered: boolean): void => {
      for (const timer of timers) clearTimeout(timer);
      socket.close();
      resolve({ sent, answered });
    };
    socket.on('message', (answer) => {
      if (isAnswer(new Uint8Array(answer))) over(true);
    });
    socket.on('error', () => undefined);
    for (const at of times)
      timers.push(
        setTimeout(() => {
          sent++;
          socket.send(bytes, to.port, to.host, () => undefined);
        }, at),
      );
    // The last copy's answer gets its time too.
    timers.push(setTimeout(() => over(false), (times.at(-1) ?? 0) + 1000));
  });
}
