import { shiftMemory } from './judged';
import type { RuleState } from './step-rule';

/**
 * A threshold's state after the clock that its times were taken by was set, `byMs` forward or (negative) back: what has run of a delay has
 * run, and no more. Times that are not known stay so.
 */
export function shiftThreshold(state: RuleState, byMs: number): RuleState {
  const moved = (at: number | null): number | null => (at === null ? null : at + byMs);
  return {
    ...{ ...state, since: moved(state.since), lastAt: moved(state.lastAt), watermark: moved(state.watermark) },
    ...(state.memory && { memory: shiftMemory(state.memory, byMs) }),
  };
}
