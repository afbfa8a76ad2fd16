import type { Endpoint, Problem } from '@dewpost/contract';
import { Injectable } from '@angular/core';
import type * as z from 'zod';

/** A refusal with what to do about it, or a server that did not answer. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly errors: Problem['errors'] = [],
  ) {
    super(message);
    this.name = 'ApiError';
  }
}

type Input<E extends Endpoint> = (E['params'] extends z.ZodObject<Record<string, never>> ? object : { params: z.input<E['params']> }) & {
  query?: z.input<E['query']>;
} & (E['body'] extends z.ZodObject<Record<string, never>> ? object : { body: z.input<E['body']> });

/** Calls the server, typed by the contract. What comes back has been checked by the server against the same schemas. */
@Injectable({ providedIn: 'root' })
export class Api {
  async call<E extends Endpoint>(endpoint: E, input: Input<E>): Promise<z.output<E['reply']>> {
    const given = input as {
      params?: Record<string, unknown>;
      query?: Record<string, string | number | boolean | undefined>;
      body?: unknown;
    };
    const path = endpoint.path.replace(/:(\w+)/g, (_, name: string) => encodeURIComponent(String(given.params?.[name])));
    const query = new URLSearchParams(
      Object.entries(given.query ?? {}).flatMap(([name, value]) => (value === undefined ? [] : [[name, String(value)]])),
    ).toString();
    const hasBody = endpoint.method !== 'get' && endpoint.method !== 'delete';
    return (await this.fetchJson(query ? `${path}?${query}` : path, {
      method: endpoint.method.toUpperCase(),
      ...(hasBody && { headers: { 'content-type': 'application/json' }, body: JSON.stringify(given.body ?? {}) }),
    })) as z.output<E['reply']>;
  }

  /** Fetches JSON from our own server; every failure is an `ApiError` whose message can be shown. */
  async fetchJson(url: string, init: RequestInit = {}): Promise<unknown> {
    let response: Response;
    try {
      response = await fetch(url, { ...init, signal: init.signal ?? AbortSignal.timeout(15_000) });
    } catch {
      throw new ApiError(0, 'The server does not answer. Look whether it is running; nothing you typed is lost.');
    }
    const text = await response.text();
    const body: unknown = text === '' ? null : JSON.parse(text);
    if (response.ok) return body;
    const problem = body as Partial<Problem> | null;
    throw new ApiError(response.status, problem?.detail ?? `The server answered ${response.status}.`, problem?.errors);
  }
}

/** A message to show for anything thrown. */
export const messageOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));
