/** A message that waits to be stored. */
export interface InLane {
  /** Whose it is: what one sender sends keeps its order. */
  readonly sender: string;
  readonly records: number;
  /** All of it was measured long ago: what a node kept while it was away. */
  readonly isLate: boolean;
  /** Since when it waits, ms on the clock that `next` is asked by. */
  readonly since: number;
}

export const LANES = {
  batchMessages: 1000,
  /** Kept records in one turn while others send live, when they have waited for long, and while nobody sends live. */
  lateRecords: 300,
  overdueRecords: 5000,
  quietRecords: 10_000,
  overdueMs: 2000,
  /** So long after the last live message nobody is taken to send any. */
  quietMs: 1000,
  /** After a turn of kept records none for so many times as long as it took: others are to find the way free. */
  restShare: 2,
} as const;

/** What is to be stored next: a batch, or nothing before so many ms. */
export type Next<T> = { readonly batch: T[] } | { readonly waitMs: number };

/**
 * Two lanes in front of the database: what is live goes first, what nodes kept while they were away goes in small turns beside it, so
 * that neither waits for long. Times in ms of any clock that only goes forward.
 */
export class Lanes<T extends InLane> {
  private live: T[] = [];
  private late: T[] = [];
  private readonly lateOf = new Map<string, number>();
  private liveAt = -Infinity;
  private restUntil = -Infinity;
  /** Whether the batch given last was of what was kept. */
  private lateTurn = false;

  add(message: T): void {
    const before = this.lateOf.get(message.sender) ?? 0;
    if (!message.isLate && before === 0) {
      this.live.push(message);
      return;
    }
    this.lateOf.set(message.sender, before + 1);
    this.late.push(message);
  }

  /** What goes next at `now`; `null`: nothing waits. */
  next(now: number): Next<T> | null {
    if (this.live.length > 0) {
      this.liveAt = now;
      this.lateTurn = false;
      return { batch: this.live.splice(0, LANES.batchMessages) };
    }
    const [first] = this.late;
    if (!first) return null;
    const isQuiet = now - this.liveAt >= LANES.quietMs;
    const isOverdue = now - first.since >= LANES.overdueMs;
    if (!isQuiet && !isOverdue && now < this.restUntil) return { waitMs: this.restUntil - now };
    this.lateTurn = true;
    return { batch: this.takeLate(isQuiet ? LANES.quietRecords : isOverdue ? LANES.overdueRecords : LANES.lateRecords) };
  }

  /** The batch given last is through: `began` and `now` around its commit. */
  took(began: number, now: number): void {
    if (this.lateTurn) this.restUntil = now + LANES.restShare * (now - began);
  }

  private takeLate(mostRecords: number): T[] {
    let [count, records] = [0, 0];
    for (const message of this.late) {
      records += message.records;
      if (count > 0 && (records > mostRecords || count >= LANES.batchMessages)) break;
      count++;
    }
    const batch = this.late.splice(0, count);
    for (const { sender } of batch) {
      const left = (this.lateOf.get(sender) ?? 1) - 1;
      if (left > 0) this.lateOf.set(sender, left);
      else this.lateOf.delete(sender);
    }
    return batch;
  }
}
