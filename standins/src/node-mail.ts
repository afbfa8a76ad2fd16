import { topicOf } from '@dewpost/core/wire';
import type { MqttClient } from 'mqtt';
import { type Backlog, type KeptRecord } from './backlog';

/** Records in one message. */
const PIECE = 300;

/** What a stand-in node has to send: its own readings, live before kept, and what its leaves have said. */
export class NodeMail {
  /** Measured and not acknowledged yet: goes out before what its store holds. */
  private live: KeptRecord[] = [];
  private forLeaves: { topic: string; text: string }[] = [];
  private sending = false;

  constructor(
    private readonly node: string,
    /** What it did not get through, in its store. */
    private readonly backlog: Backlog,
    /** Its session; `null`: it has none. */
    private readonly client: () => MqttClient | null,
    /** Somebody may listen at its serial port. */
    private readonly published: (topic: string, bytes: number) => void,
  ) {}

  add(records: readonly KeptRecord[]): void {
    this.live.push(...records);
    if (!this.client()?.connected) this.store();
    void this.flush();
  }

  /** What has not got through goes into its store. */
  store(): void {
    this.backlog.add(this.live, Date.now() / 1000);
    this.live = [];
  }

  /** The session is gone: what is under way will not be acknowledged. */
  dropped(): void {
    this.sending = false;
  }

  /** Words of its leaves, by topic; what cannot go out now is kept until it can. */
  passOn(words: readonly { topic: string; text: string }[]): void {
    this.forLeaves.push(...words);
    void this.flushLeaves();
  }

  async flushLeaves(): Promise<void> {
    for (let client = this.client(); this.forLeaves[0] && client?.connected; client = this.client()) {
      const [first] = this.forLeaves;
      const sent = await client.publishAsync(first.topic, first.text, { qos: 1 }).then(
        () => true,
        () => false,
      );
      if (!sent) return;
      this.forLeaves = this.forLeaves.filter((word) => word !== first);
    }
  }

  /**
   * Sends what was just measured first, then what its store holds, oldest first and piece by piece, so that neither waits for long; what
   * is not acknowledged stays kept.
   */
  async flush(): Promise<void> {
    if (this.sending || !this.client()?.connected) return;
    this.sending = true;
    try {
      for (let client = this.client(); client?.connected; client = this.client()) {
        // After a cut in between these are in its store as well, and another array is filled.
        const { live } = this;
        const isLive = live.length > 0;
        const piece = isLive ? live.slice(0, PIECE) : this.backlog.oldest(PIECE);
        if (piece.length === 0) break;
        const text = JSON.stringify(this.packOf(piece));
        await client.publishAsync(topicOf(this.node, 'up'), text, { qos: 1 });
        this.published(topicOf(this.node, 'up'), text.length);
        if (isLive) live.splice(0, piece.length);
        else this.backlog.sent(piece.length);
      }
    } catch {
      // The link went down under way: what was not acknowledged goes out again at the next connect.
      this.store();
    } finally {
      this.sending = false;
    }
  }

  private packOf(piece: readonly KeptRecord[]): object[] {
    const [first] = piece;
    return piece.map((record, i) =>
      i === 0 || !first
        ? { bn: `${this.node}:`, bt: record.t, n: record.n, v: record.v }
        : { n: record.n, t: Math.round((record.t - first.t) * 1000) / 1000, v: record.v },
    );
  }
}
