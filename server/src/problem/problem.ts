import type { Problem } from '@dewpost/contract';

/** An error that a person can act on: becomes an RFC 9457 problem document. */
export class ProblemError extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    readonly detail: string,
    readonly errors?: Problem['errors'],
    readonly retryAfterSeconds?: number,
    /** What is in force, for a page that shows it beside what was typed. */
    readonly current?: unknown,
  ) {
    super(detail);
    this.name = 'ProblemError';
  }
}

export const notFound = (what: string): ProblemError => new ProblemError(404, 'Not found', `There is no ${what}.`);

/** Somebody was faster: 409 with what is in force now, so that nothing is overwritten unseen. */
export const changedMeanwhile = (what: string, from: number, now: number, current: unknown): ProblemError =>
  new ProblemError(
    409,
    'Changed meanwhile',
    `This ${what} was changed while you edited it: you began from version ${from}, version ${now} is in force. Look at both and save again.`,
    undefined,
    undefined,
    current,
  );
