/**
 * What a switched output may do now. Pure: time comes in with every step, in ms of a clock that never steps back
 * (on a node the monotonic one). `on` means the load is energised; the fail-safe state is the de-energised contact.
 */

export interface OutputGuards {
  readonly minOnMs: number;
  readonly minOffMs: number;
  /** Longest single run; `null`: none (drainage pumps, which alarm instead). */
  readonly maxRunMs: number | null;
  /** Rest that follows a maximum run. */
  readonly restMs: number;
  /** Longest time on within one site day; `null`: none. */
  readonly dailyCapMs: number | null;
}

/** Why the output is as it is, the guard that binds or the demand itself. */
export type OutputReason = 'off-by-hand' | 'interlock' | 'lease' | 'max-run' | 'daily-cap' | 'min-on' | 'rest' | 'min-off' | 'demand';

export interface OutputState {
  readonly on: boolean;
  /** When it last changed; powering up counts as just switched off. */
  readonly changedAt: number;
  readonly restUntil: number | null;
  /** Time on in `day` up to `countedAt`. */
  readonly usedMs: number;
  readonly countedAt: number;
  readonly day: number;
  readonly reason: OutputReason;
}

export interface OutputInputs {
  readonly at: number;
  readonly demand: boolean;
  /** Time since the last command that upheld the demand, and how long such a command is good for. */
  readonly commandAgeMs: number;
  readonly leaseMs: number;
  readonly interlockOk?: boolean;
  readonly offByHand?: boolean;
  /** Number of the site day, any counting; a new number starts the daily cap anew. */
  readonly day?: number;
}

/** The state at power-up: off, and counted as switched off at `at`. */
export function poweredUp(at: number, day = 0): OutputState {
  return { on: false, changedAt: at, restUntil: null, usedMs: 0, countedAt: at, day, reason: 'demand' };
}

/**
 * One decision. Order, highest first: off-by-hand → interlock → lease → maximum run and rest → daily cap →
 * minimum on → minimum off → demand. The lease ends when its age is *above* the limit; runs and caps act *at* theirs;
 * minimum times end *at* theirs.
 */
export function stepOutput(guards: OutputGuards, state: OutputState, inputs: OutputInputs): OutputState {
  const { at } = inputs;
  const day = inputs.day ?? state.day;
  const usedMs = day === state.day ? state.usedMs + (state.on ? at - state.countedAt : 0) : 0;
  const [on, reason] = decide(guards, { ...state, usedMs }, inputs);
  const overran = reason === 'max-run';
  return {
    on,
    reason,
    changedAt: on === state.on ? state.changedAt : at,
    restUntil: overran ? at + guards.restMs : state.restUntil !== null && at >= state.restUntil ? null : state.restUntil,
    usedMs,
    countedAt: at,
    day,
  };
}

function decide(guards: OutputGuards, state: OutputState, inputs: OutputInputs): [boolean, OutputReason] {
  const { at } = inputs;
  const lasted = at - state.changedAt;
  if (inputs.offByHand) return [false, 'off-by-hand'];
  if (inputs.interlockOk === false) return [false, 'interlock'];
  // Only a wish to run, or a run, can have its lease end: an output at rest has none.
  if ((inputs.demand || state.on) && inputs.commandAgeMs > inputs.leaseMs) return [false, 'lease'];
  if (state.on) {
    if (guards.maxRunMs !== null && lasted >= guards.maxRunMs) return [false, 'max-run'];
    if (guards.dailyCapMs !== null && state.usedMs >= guards.dailyCapMs) return [false, 'daily-cap'];
    if (!inputs.demand && lasted < guards.minOnMs) return [true, 'min-on'];
    return [inputs.demand, 'demand'];
  }
  if (!inputs.demand) return [false, 'demand'];
  if (state.restUntil !== null && at < state.restUntil) return [false, 'rest'];
  if (guards.dailyCapMs !== null && state.usedMs >= guards.dailyCapMs) return [false, 'daily-cap'];
  if (lasted < guards.minOffMs) return [false, 'min-off'];
  return [true, 'demand'];
}

/** Start of the earliest moment at which an output that is on goes off by itself, counting its maximum run; `null`: none. */
export function runEndsAt(guards: OutputGuards, state: OutputState): number | null {
  return state.on && guards.maxRunMs !== null ? state.changedAt + guards.maxRunMs : null;
}
