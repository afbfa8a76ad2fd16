import type { BenchStep } from '@dewpost/contract';

/** A step that came to nothing, with its cause by name and the evidence for it. */
export class StepFailure extends Error {
  constructor(
    readonly step: BenchStep,
    readonly code: string,
    message: string,
  ) {
    super(message);
  }
}
