import type { Problem } from '@dewpost/contract';
import type { ErrorRequestHandler } from 'express';
import type { Logger } from 'pino';
import { databaseAway } from '../store/sql-state';

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

interface HttpError {
  status?: number;
  type?: string;
  limit?: number;
}

/** The last handler: every error leaves as a problem document; unexpected ones are logged and say nothing of the inside. */
export function problemHandler(log: Logger): ErrorRequestHandler {
  return (error: unknown, request, response, next) => {
    if (response.headersSent) {
      next(error);
      return;
    }
    const problem = describe(error);
    // What is still on its way is not read: whoever was refused sends it in vain.
    if (!request.complete) response.setHeader('Connection', 'close');
    // "Come again in a moment" is an answer, not a fault.
    if (problem.status >= 500 && problem.status !== 503) log.error({ err: error, path: request.path }, 'request failed');
    if (problem.status === 503 && !(error instanceof ProblemError)) response.setHeader('Retry-After', '5');
    if (error instanceof ProblemError && error.retryAfterSeconds) response.setHeader('Retry-After', String(error.retryAfterSeconds));
    response.status(problem.status).type('application/problem+json').send(JSON.stringify(problem));
  };
}

function describe(error: unknown): Problem {
  if (error instanceof ProblemError) {
    return {
      type: 'about:blank',
      title: error.title,
      status: error.status,
      detail: error.detail,
      errors: error.errors,
      current: error.current,
    };
  }
  const http = error as HttpError;
  if (http.type === 'entity.too.large') {
    const detail = `The body is too large: send at most ${Math.round((http.limit ?? 0) / 1024)} kB at a time.`;
    return { type: 'about:blank', title: 'Too large', status: 413, detail };
  }
  if (http.type === 'entity.parse.failed') {
    return {
      type: 'about:blank',
      title: 'Not JSON',
      status: 400,
      detail: 'The body is not valid JSON: check quotes, commas and brackets.',
    };
  }
  if (http.status && http.status >= 400 && http.status < 500) {
    return {
      type: 'about:blank',
      title: 'Cannot be used',
      status: http.status,
      detail: error instanceof Error ? error.message : 'The request cannot be used.',
    };
  }
  if (databaseAway(error))
    return {
      type: 'about:blank',
      title: 'Database away',
      status: 503,
      detail: 'The database does not answer. Nothing was changed; try again in a moment.',
    };
  return {
    type: 'about:blank',
    title: 'Server error',
    status: 500,
    detail: 'Something went wrong here, not with you. It has been logged; try again.',
  };
}
