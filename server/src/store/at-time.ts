import type { Logger } from 'pino';

const RETRY_MS = 10_000;
/** The longest that a timer runs, ms: what is weeks away is looked at again. */
const LONGEST_TIMER_MS = 12 * 3_600_000;

/** Work that is due at a time, one piece a key; what fails is tried again until it is done. Times in ms since 1970. */
export class AtTime<K> {
  private readonly timers = new Map<K, NodeJS.Timeout>();

  constructor(
    private readonly log: Logger,
    private readonly failed: string,
  ) {}

  /** Does the work at that time, or at once where it is past; in the place of what was due for the key before. */
  set(key: K, at: number, work: () => Promise<unknown>): void {
    this.clear(key);
    const left = at - Date.now();
    const look = (): void => {
      if (left > LONGEST_TIMER_MS) return this.set(key, at, work);
      work().catch((error: unknown) => {
        this.log.error({ err: error, key }, this.failed);
        this.timers.set(key, setTimeout(() => this.set(key, at, work), RETRY_MS).unref());
      });
    };
    this.timers.set(key, setTimeout(look, Math.max(0, Math.min(left, LONGEST_TIMER_MS))).unref());
  }

  clear(key: K): void {
    clearTimeout(this.timers.get(key));
    this.timers.delete(key);
  }

  stop(): void {
    for (const timer of this.timers.values()) clearTimeout(timer);
    this.timers.clear();
  }
}
