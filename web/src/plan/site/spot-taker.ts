import { signal } from '@angular/core';

const LEVELS = 3;
const LONGEST_MS = 5000;

/** Gathers the levels heard at one spot: only what was measured after the tap counts, three of them or what comes in five seconds. */
export class SpotTaker {
  private levels: number[] = [];
  private since = 0;
  private firstAt = 0;
  private lastAt = 0;
  readonly waiting = signal(false);
  readonly count = signal(0);

  /** Someone stands still from this time (ms). */
  begin(now: number): void {
    this.since = now;
    this.levels = [];
    this.waiting.set(true);
    this.count.set(0);
  }

  /** A level measured at `at`; gives the mean of the spot when it is enough, else `null`. */
  hear(at: number, level: number): number | null {
    if (!this.waiting() || at < this.since || at === this.lastAt) return null;
    if (this.levels.length === 0) this.firstAt = at;
    this.lastAt = at;
    this.levels.push(level);
    this.count.set(this.levels.length);
    if (this.levels.length < LEVELS && at - this.firstAt < LONGEST_MS) return null;
    this.waiting.set(false);
    return this.levels.reduce((sum, one) => sum + one, 0) / this.levels.length;
  }
}
