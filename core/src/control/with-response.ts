import { clearsAt, INITIAL_RULE_STATE, inAlarm, stepRule, type ThresholdRule } from '../alarm';
import { poweredUp, stepOutput, type OutputGuards } from './output';
import type { FittedPlant } from './response-fit';

const DAY_MS = 86_400_000;
/** Days that are simulated, after one in which it settles. */
const DAYS = 3;

/** What a rule would have done to a plant that answers. */
export interface SimulatedControl {
  readonly startsPerDay: number;
  /** Share of the time that it is on, 0…1. */
  readonly duty: number;
  /** Mean time from one start to the next, s; `null`: it did not start twice. */
  readonly periodSeconds: number | null;
  readonly lowest: number;
  readonly highest: number;
  /** How far it goes past the level where it clears, in the point's unit; 0: it never got there. */
  readonly overshoot: number;
  /** Times a day that a guard ended a run, held one back, or made it go on. */
  readonly guardedPerDay: number;
  /** What was read and whether it was on, one after the other, for a drawing of the last day: times from its beginning, ms. */
  readonly trace: readonly { readonly at: number; readonly value: number; readonly on: boolean }[];
}

/**
 * Runs a rule, an output and its guards against a fitted plant: what the node reports every `reportMs` is judged, the output follows at
 * once, within its guards. Where it rests moves with the day; noise and drift are left out. The rule switches on at its trip.
 */
export function simulateControl(plant: FittedPlant, rule: ThresholdRule, guards: OutputGuards, reportMs: number): SimulatedControl {
  const step = Math.max(1000, Math.min(reportMs, (plant.tau * 1000) / 20));
  const per = Math.max(1, Math.round(reportMs / step));
  const dt = reportMs / per;
  const decay = Math.exp(-dt / (plant.tau * 1000));
  const dead = Math.round((plant.deadSeconds * 1000) / dt);
  const queue: boolean[] = Array<boolean>(dead).fill(false);
  let [x, state, output] = [0, INITIAL_RULE_STATE, poweredUp(-guards.minOffMs)];
  const starts: number[] = [];
  const trace: { at: number; value: number; on: boolean }[] = [];
  let [onMs, lowest, highest, guarded] = [0, Infinity, -Infinity, 0];
  const total = Math.round(((DAYS + 1) * DAY_MS) / dt);
  for (let k = 0; k < total; k++) {
    const at = k * dt;
    const counted = at >= DAY_MS;
    const value = plant.rests + plant.swing * Math.sin((2 * Math.PI * at) / DAY_MS) + plant.gain * x;
    if (k % per === 0) state = stepRule(rule, state, { kind: 'reading', at, value, quality: 'good' }).state;
    const demand = inAlarm(state);
    const before = output;
    output = stepOutput(guards, output, { at, demand, commandAgeMs: 0, leaseMs: Infinity, day: Math.floor(at / DAY_MS) });
    if (counted) {
      if (output.on && !before.on) starts.push(at);
      if (output.on) onMs += dt;
      if (output.on !== demand && output.reason !== before.reason) guarded++;
      lowest = Math.min(lowest, value);
      highest = Math.max(highest, value);
      if (at >= DAYS * DAY_MS && k % per === 0) trace.push({ at: at - DAYS * DAY_MS, value, on: output.on });
    }
    queue.push(output.on);
    x = (queue.shift() === true ? 1 : 0) * (1 - decay) + x * decay;
  }
  const clear = clearsAt(rule);
  const [firstStart, lastStart] = [starts[0], starts.at(-1)];
  return {
    ...{ startsPerDay: starts.length / DAYS, duty: onMs / (DAYS * DAY_MS), lowest, highest, guardedPerDay: guarded / DAYS, trace },
    periodSeconds:
      firstStart === undefined || lastStart === undefined || starts.length < 2
        ? null
        : (lastStart - firstStart) / (starts.length - 1) / 1000,
    overshoot: starts.length === 0 ? 0 : Math.max(0, rule.side === 'high' ? clear - lowest : highest - clear),
  };
}
