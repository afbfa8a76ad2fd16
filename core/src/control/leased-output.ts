import { poweredUp, stepOutput, type OutputGuards, type OutputState } from './output';

/**
 * A switched output with the command that holds it: what a node runs. The lease counts from the receipt of a
 * command on the node's own clock, so a lost link ends every run whatever the server thinks.
 */
export interface LeasedOutput {
  readonly output: OutputState;
  readonly demand: boolean;
  readonly commandAt: number | null;
  readonly leaseMs: number;
  /** Off by hand, or told to be safe: stays off, minimum on included, until the next "on" is granted. */
  readonly heldOff: 'off-by-hand' | 'fail-safe' | null;
}

export type OutputEvent =
  | { readonly kind: 'command'; readonly at: number; readonly on: boolean; readonly leaseMs: number }
  | { readonly kind: 'off-by-hand'; readonly at: number }
  | { readonly kind: 'fail-safe'; readonly at: number }
  | { readonly kind: 'tick'; readonly at: number; readonly day?: number };

/** A node that has just started: off, nothing asked, no lease. */
export function newLeasedOutput(at: number): LeasedOutput {
  return { output: poweredUp(at), demand: false, commandAt: null, leaseMs: 0, heldOff: null };
}

/**
 * One event on one output: a command (which renews the lease but never the maximum run), off by hand, a lost sensor
 * (`fail-safe`), or time passing. Returns the new state; compare `output.on` to see whether to move the contact.
 */
export function stepLeasedOutput(guards: OutputGuards, state: LeasedOutput, event: OutputEvent): LeasedOutput {
  const told = apply(state, event);
  const at = Math.max(event.at, told.output.countedAt);
  const leased = told.heldOff === 'fail-safe' ? Infinity : told.commandAt === null ? 0 : at - told.commandAt;
  const output = stepOutput(guards, told.output, {
    at,
    demand: told.demand,
    commandAgeMs: leased,
    leaseMs: told.leaseMs,
    offByHand: told.heldOff === 'off-by-hand',
    day: event.kind === 'tick' ? event.day : undefined,
  });
  // A lease that has run out is gone: only a new command may start the output again. The same after a maximum run.
  const ended = output.reason === 'lease';
  return { ...told, output, demand: ended ? false : told.demand };
}

function apply(state: LeasedOutput, event: OutputEvent): LeasedOutput {
  switch (event.kind) {
    case 'command':
      return {
        ...state,
        demand: event.on,
        commandAt: event.at,
        leaseMs: event.leaseMs,
        heldOff: event.on ? null : state.heldOff,
      };
    case 'off-by-hand':
      return { ...state, demand: false, heldOff: 'off-by-hand' };
    case 'fail-safe':
      return { ...state, demand: false, heldOff: 'fail-safe' };
    case 'tick':
      return state;
  }
}
