import express, { type Request, type Response } from 'express';
import type { IncomingMessage } from 'node:http';
import { ProblemError } from '../problem/problem';

/** What a body may have in it: more only where an endpoint says so, and never before its door has been passed. */
export const BODY_BYTES = 256 * 1024;
const MOST_NESTED = 64;

/** Reads the JSON body of a request that has passed its door; gives `undefined` where there is none. Throws a problem for what is too large, too deep or no JSON. */
export function readJson(request: Request, response: Response, bytes = BODY_BYTES): Promise<unknown> {
  const parse = parsers.get(bytes) ?? express.json({ limit: bytes, verify: readable });
  parsers.set(bytes, parse);
  return new Promise((resolve, reject) => {
    parse(request, response, (error?: unknown) => {
      if (error !== undefined) reject(error instanceof Error ? error : new Error('the body could not be read', { cause: error }));
      else resolve(request.body);
    });
  });
}

const parsers = new Map<number, ReturnType<typeof express.json>>();

/**
 * Refuses brackets nested deeper than anything that is meant, without counting those in texts: what is read on is read by functions
 * that call themselves. And zero characters in texts, which the database cannot hold.
 */
function readable(_request: IncomingMessage, _response: unknown, body: Buffer): void {
  let depth = 0;
  let inText = false;
  for (let i = 0; i < body.length; i++) {
    const byte = body[i];
    if (inText) {
      if (byte === 0x5c) {
        if (body.toString('latin1', i + 1, i + 6) === 'u0000')
          throw new ProblemError(400, 'Cannot be used', 'A text holds a zero character: take it out.');
        i++;
      }
      if (byte === 0x22) inText = false;
    } else if (byte === 0x22) inText = true;
    else if (byte === 0x5b || byte === 0x7b) {
      if (++depth > MOST_NESTED)
        throw new ProblemError(400, 'Too deep', `The body nests more than ${MOST_NESTED} lists and objects: flatten it.`);
    } else if (byte === 0x5d || byte === 0x7d) depth--;
  }
}
