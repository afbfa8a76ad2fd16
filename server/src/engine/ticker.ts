import type { Logger } from 'pino';
import { databaseAway } from '../store/sql-state';

/** Lets time pass: one look after the other, never two at once. */
export class Ticker {
  private timer: NodeJS.Timeout | null = null;

  constructor(
    private readonly everyMs: number,
    private readonly log: Logger,
  ) {}

  /** `away` hears each time that the database could not be asked. */
  start(look: () => Promise<void>, away: () => void): void {
    let underWay = false;
    let failing = false;
    this.timer = setInterval(() => {
      // One at a time: those that wait for a database that is away would all run when it is back.
      if (underWay) return;
      underWay = true;
      look()
        .then(
          () => (failing = false),
          (error: unknown) => {
            if (databaseAway(error)) away();
            // Said once, not each second for as long as it lasts.
            if (!failing) this.log.error({ err: error }, 'the engine tick failed; it is tried again');
            failing = true;
          },
        )
        .finally(() => (underWay = false));
    }, this.everyMs);
  }

  stop(): void {
    if (this.timer) clearInterval(this.timer);
  }
}
