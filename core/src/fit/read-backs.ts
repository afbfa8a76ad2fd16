import type { ReadBack } from '../wire';

/** One output of a node that is being proved, and what it last said; `null`: nothing yet. */
export interface ReadOutput {
  readonly label: string;
  /** How the output is read back, by its sheet. */
  readonly readBack: ReadBack;
  readonly done: { readonly result: 'done' | 'held' | 'refused' | 'ended'; readonly reason: string; readonly state: boolean | null } | null;
}

/**
 * Judges a node of outputs only by what its outputs read back after each was told to go off: `null` while one has said nothing. One
 * that reads on fails, one that should read back and cannot fails; one without read-back is taken by its answer.
 */
export function judgeReadBacks(outputs: readonly ReadOutput[]): { passed: boolean; detail: string; code: string | null } | null {
  if (outputs.some((one) => one.done === null)) return null;
  const told = outputs.map(({ label, readBack, done }) => {
    if (done?.state === true) return { wrong: 'output-reads-on', text: `${label} reads on after off` };
    if (done?.state === false) return { wrong: null, text: `${label} reads back off${readBack === 'none' ? '' : ` by its ${readBack}`}` };
    return readBack === 'none'
      ? { wrong: null, text: `${label} has answered; it cannot be read back` }
      : { wrong: 'no-read-back', text: `${label} does not read back: look at its ${readBack}` };
  });
  const wrong = told.filter((one) => one.wrong !== null);
  const shown = wrong.length > 0 ? wrong : told;
  return {
    passed: wrong.length === 0,
    detail: shown
      .map((one) => one.text)
      .join('; ')
      .slice(0, 500),
    code: wrong[0]?.wrong ?? null,
  };
}
