/** A wall clock that moves this much against the monotonic one was set; less is the keeping of time. */
const STEP_MS = 2000;

/** The machine's clocks, both in ms: the time of day, which can be set, and one that only goes on. */
export interface Clock {
  wall(): number;
  steady(): number;
}

export const machineClock: Clock = { wall: () => Date.now(), steady: () => performance.now() };

/** Notices that the clock was set, by comparing it with one that nobody can set. */
export class ClockWatch {
  private before: { wall: number; steady: number } | null = null;

  constructor(private readonly clock: Clock) {}

  /** By how much the wall clock was set since it was asked before, ms; 0: it was not. */
  step(): number {
    const { before } = this;
    const now = { wall: this.clock.wall(), steady: this.clock.steady() };
    this.before = now;
    if (before === null) return 0;
    const stepMs = Math.round(now.wall - before.wall - (now.steady - before.steady));
    return Math.abs(stepMs) > STEP_MS ? stepMs : 0;
  }
}
