/** A wall clock that moves this much against the monotonic one was set; less is the keeping of time. */
const STEP_MS = 2000;

export interface ClockLook {
  /** By how much the wall clock was set since the look before, ms; 0: it was not. */
  stepMs: number;
  /** Time since the look before by the monotonic clock, ms. */
  gapMs: number;
}

/** Notices that the clock was set, by comparing it with one that nobody can set. */
export class ClockWatch {
  private before: { wall: number; steady: number } | null = null;

  look(wall: number, steady: number): ClockLook {
    const { before } = this;
    this.before = { wall, steady };
    if (before === null) return { stepMs: 0, gapMs: 0 };
    const stepMs = Math.round(wall - before.wall - (steady - before.steady));
    return { stepMs: Math.abs(stepMs) > STEP_MS ? stepMs : 0, gapMs: steady - before.steady };
  }
}
