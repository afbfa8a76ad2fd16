import type { Door, Endpoint, Me, RawEndpoint } from '@dewpost/contract';
import type { Request, RequestHandler, Response, Router } from 'express';
import type * as z from 'zod';
import { readJson } from './body';
import { ProblemError } from '../problem/problem';

/** The endpoints that have been bound, for the OpenAPI document. */
export const bound: (Endpoint | RawEndpoint)[] = [];

export interface Call<P, Q, B> {
  params: P;
  query: Q;
  body: B;
  me: Me | null;
  shareId: number | null;
  request: Request;
  response: Response;
}

type Handler<E> =
  E extends Endpoint<infer P, infer Q, infer B, infer R>
    ? (call: Call<z.output<P>, z.output<Q>, z.output<B>>) => Promise<z.input<R>> | z.input<R>
    : never;

/** Binds a handler to a declared endpoint: its door, the check of what comes in and of what goes out. */
export function bind<E extends Endpoint>(router: Router, endpoint: E, handler: Handler<E>): void {
  if (!bound.includes(endpoint)) bound.push(endpoint);
  const run = handler as unknown as (call: Call<unknown, unknown, unknown>) => unknown;
  router[endpoint.method](endpoint.path, async (request: Request, response: Response) => {
    const { me, shareId } = passDoor(endpoint.door, request);
    if (endpoint.method !== 'get') await readJson(request, response, endpoint.bodyBytes);
    const call = {
      params: check(endpoint.params, request.params, 'address'),
      query: check(endpoint.query, request.query, 'query'),
      body: check(endpoint.body, request.body ?? {}, 'body'),
      me,
      shareId,
      request,
      response,
    };
    const answer = await run(call);
    response.setHeader('Cache-Control', 'no-store');
    response.json(endpoint.reply.parse(answer));
  });
}

/** Binds a handler to a declared endpoint of bytes or streams: its door comes first, then what reads its body, then the check of its parameters. */
export function bindRaw<P extends z.ZodType>(
  router: Router,
  endpoint: RawEndpoint<P>,
  handler: (call: Pick<Call<z.output<P>, unknown, unknown>, 'params' | 'me' | 'shareId' | 'request' | 'response'>) => Promise<void> | void,
  readBody?: RequestHandler,
): void {
  if (!bound.includes(endpoint)) bound.push(endpoint);
  const atTheDoor: RequestHandler = (request, _response, next) => {
    passDoor(endpoint.door, request);
    next();
  };
  router[endpoint.method](endpoint.path, atTheDoor, ...(readBody ? [readBody] : []), async (request: Request, response: Response) => {
    const params = check(endpoint.params, request.params, 'address') as z.output<P>;
    await handler({ ...passDoor(endpoint.door, request), params, request, response });
  });
}

/** Who is at the door; throws 401 or 403 with what to do. */
export function passDoor(door: Door, request: Request): { me: Me | null; shareId: number | null } {
  if (door === 'open') return { me: null, shareId: null };
  if (door === 'share') {
    const shareId = request.shareId ?? null;
    if (shareId === null) throw new ProblemError(401, 'Link ended', 'This link has ended or was never opened here: ask for a new one.');
    return { me: null, shareId };
  }
  const me = request.me ?? null;
  if (!me) throw new ProblemError(401, 'Not signed in', 'Sign in first.');
  if (door === 'maker' && me.role !== 'maker')
    throw new ProblemError(403, 'For makers', 'Only a maker may do this: ask one, or sign in as one.');
  return { me, shareId: null };
}

function check(schema: z.ZodType, value: unknown, where: 'address' | 'query' | 'body'): unknown {
  if (where !== 'body' && JSON.stringify(value).includes('\\u0000'))
    throw new ProblemError(422, 'Cannot be used', `The ${where} holds a zero character: take it out.`);
  const parsed = schema.safeParse(value);
  if (parsed.success) return parsed.data;
  const errors = parsed.error.issues.map((issue) => ({ path: [where, ...issue.path.map(String)].join('.'), message: issue.message }));
  throw new ProblemError(422, 'Cannot be used', errors.map((e) => `${e.path}: ${e.message}`).join('; '), errors);
}
