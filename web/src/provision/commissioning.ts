import { counted } from '@dewpost/core/quantity';
import type { Report, Run } from '@dewpost/contract';
import { STEP_TITLES } from './step-titles';

/** What a commissioning report concludes of one node: complete, or what is still missing, in the order in which it is done. */
export function verdictOf({ node, runs, fit, ticks, steps }: Report): { complete: boolean; missing: string[] } {
  const missing: string[] = [];
  const written = newestWriting(runs);
  const stoppedAt = written?.steps.at(-1);
  if (!written) missing.push('it was never written here');
  else if (written.result !== 'proved')
    missing.push(
      written.result === 'stopped' ? `writing stopped at ${stoppedAt ? STEP_TITLES[stoppedAt.step] : 'the start'}` : 'writing is under way',
    );
  if (written && !written.steps.some((step) => step.step === 'label')) missing.push('its label was not printed');
  const undone = steps.filter((step) => !ticks.some((tick) => tick.step === step.id)).length;
  if (undone > 0) missing.push(`${counted(undone, 'step')} of its assembly not ticked off, of ${steps.length}`);
  const unproved = fit.needs.filter((need) => need.state !== 'passed');
  if (node.fittedAt === null)
    missing.push(unproved.length > 0 ? `not proved in place: ${unproved.map((need) => need.label).join(', ')}` : 'not proved in place');
  return { complete: missing.length === 0, missing };
}

/** The run that wrote what the node now runs from the bench; what came over the air after it is not it. */
export const newestWriting = (runs: readonly Run[]): Run | null => runs.find((run) => run.way !== 'air') ?? null;
