import type { Point, Threshold } from '@dewpost/contract';
import { isPlain } from '@dewpost/core/alarm';

/** What of a rule decides whether a node could follow it. */
export type FollowedRule = Pick<Threshold, 'act' | 'hours' | 'unless' | 'judges' | 'also' | 'then' | 'proportional'>;

/**
 * Can a node follow a rule by itself while its link is down: is the sensor, which it measures itself, on the node of the output, and the rule one
 * that it knows? It knows values and delays; no hours, no other rules or points, no order of outputs, no shares of a cycle.
 */
export function followsAlone(rule: FollowedRule, sensor: Point | null | undefined, output: Point | null | undefined): boolean {
  const { act, hours, unless, then, proportional } = rule;
  const knows = act === 'on' && proportional === null && hours === null && unless === null && then.length === 0 && isPlain(rule);
  return knows && sensor?.kind === 'measured' && sensor.raw === null && output != null && sensor.node === output.node;
}
