import type { Problem } from '@dewpost/contract';
import type { ErrorRequestHandler } from 'express';
import type { Logger } from 'pino';
import { ProblemError } from '../problem/problem';
import { databaseAway } from '../store/sql-state';

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
