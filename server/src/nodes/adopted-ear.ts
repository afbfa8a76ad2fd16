import type { HeardTopic } from '@dewpost/contract';
import { leavesOf, type Payload } from '@dewpost/core/adopt';

/** Most topics of one node that are remembered for its page, and most messages of one a second that are read. */
const MOST_TOPICS = 100;
export const MOST_A_SECOND = 1000;
/** How much of a message its page shows. */
const SHOWN_CHARACTERS = 400;
const MINUTE_MS = 60_000;

/** What came from an adopted node since this server started. */
export class Ear {
  private readonly topics = new Map<string, HeardTopic>();
  private second = 0;
  private inSecond = 0;
  private minute = 0;
  private inMinute = 0;
  private lastMinute = 0;
  private passedOver = 0;

  /**
   * Counts a message. `read`: there are not too many; a topic that floods is sampled, since the others of the house are not to wait for it.
   * `before`: how many of the minute before were passed over, told once when a minute is over.
   */
  count(now: number): { read: boolean; before: number } {
    const minute = Math.floor(now / MINUTE_MS);
    const before = this.minute === minute ? 0 : this.passedOver;
    if (this.minute !== minute) {
      this.lastMinute = this.minute === minute - 1 ? this.inMinute : 0;
      this.minute = minute;
      this.inMinute = this.passedOver = 0;
    }
    const second = Math.floor(now / 1000);
    if (this.second !== second) {
      this.second = second;
      this.inSecond = 0;
    }
    this.inMinute++;
    const read = ++this.inSecond <= MOST_A_SECOND;
    if (!read) this.passedOver++;
    return { read, before };
  }

  /** Keeps what came last on a topic, for its page. */
  remember(topic: string, payload: Payload, retained: boolean, now: number): void {
    const known = this.topics.get(topic);
    if (!known && this.topics.size >= MOST_TOPICS) return;
    this.topics.set(topic, {
      topic,
      at: now,
      times: (known?.times ?? 0) + 1,
      every: known ? now - known.at : null,
      retained,
      kind: payload.kind,
      text: payload.text.slice(0, SHOWN_CHARACTERS),
      why: payload.kind === 'unreadable' ? payload.why : null,
      leaves: leavesOf(payload),
    });
  }

  view(): { heard: HeardTopic[]; perMinute: number; skipped: number } {
    return {
      heard: [...this.topics.values()].sort((a, b) => (a.topic < b.topic ? -1 : 1)),
      perMinute: Math.max(this.inMinute, this.lastMinute),
      skipped: this.passedOver,
    };
  }
}
