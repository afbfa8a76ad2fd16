import type { ThresholdRule } from '@dewpost/core/alarm';
import {
  fitResponse,
  simulateControl,
  type FittedPlant,
  type OutputGuards,
  type Reading,
  type ResponseFit,
  type SimulatedControl,
  type Switched,
} from '@dewpost/core/control';

/** What a point read and its output did over the same time. */
export interface AnsweredRecord {
  readonly readings: readonly Reading[];
  readonly switched: readonly Switched[];
}
/** The same, fitted once for all that is asked about it. */
export const takeAnswer = ({ readings, switched }: AnsweredRecord): ResponseFit => fitResponse(readings, switched);

export interface ResponseJob {
  /** `null`: no figure that can be used yet. */
  readonly draft: ThresholdRule | null;
  readonly inForce: ThresholdRule | null;
  readonly guards: OutputGuards;
  readonly reportMs: number;
}
export interface ResponseAnswer {
  readonly plant: FittedPlant;
  readonly draft: SimulatedControl | null;
  readonly inForce: SimulatedControl | null;
}

/** How a room answers, and what a rule would do to it beside the rule in force; or why the record cannot tell. */
export function runResponse(fit: ResponseFit, { draft, inForce, guards, reportMs }: ResponseJob): ResponseAnswer | { refused: string } {
  if ('refused' in fit) return fit;
  const { plant } = fit;
  const rule = draft ?? inForce;
  // A rule that is too low wants it higher, one that is too high lower.
  if (rule && (rule.side === 'low') !== plant.gain > 0)
    return {
      refused: `With the output on it goes ${plant.gain > 0 ? 'up' : 'down'}: the wrong way for a rule that is to keep it ${rule.side === 'low' ? 'from being too low' : 'from being too high'}.`,
    };
  const run = (one: ThresholdRule): SimulatedControl => simulateControl(plant, one, guards, reportMs);
  return { plant, draft: draft && run(draft), inForce: inForce && run(inForce) };
}
