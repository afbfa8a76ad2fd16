import type { Endpoint, Problem } from '@dewpost/contract';
import { Injectable } from '@angular/core';
import type * as z from 'zod';

/** A refusal with what to do about it, or a server that did not answer. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    message: string,
    readonly errors: Problem['errors'] = [],
    /** What is in force, where somebody else has changed it meanwhile (409). */
    readonly current?: unknown,
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

  /** Fetches bytes from our own server; an error is never taken for them. */
  async bytes(url: string): Promise<Uint8Array> {
    const response = await this.answer(url, { signal: AbortSignal.timeout(60_000) });
    if (response.ok) return new Uint8Array(await response.arrayBuffer());
    throw this.refusal(response.status, await response.text());
  }

  /** Fetches JSON from our own server; every failure is an `ApiError` whose message can be shown. */
  async fetchJson(url: string, init: RequestInit = {}): Promise<unknown> {
    const response = await this.answer(url, init);
    const text = await response.text();
    if (!response.ok) throw this.refusal(response.status, text);
    return text === '' ? null : JSON.parse(text);
  }

  private async answer(url: string, init: RequestInit): Promise<Response> {
    try {
      return await fetch(url, { ...init, signal: init.signal ?? AbortSignal.timeout(15_000) });
    } catch {
      throw new ApiError(0, 'The server does not answer. Look whether it is running; nothing you typed is lost.');
    }
  }

  private refusal(status: number, text: string): ApiError {
    let problem: Partial<Problem> | null;
    try {
      problem = text === '' ? null : (JSON.parse(text) as Partial<Problem>);
    } catch {
      // What stands between us and the server answers in its own words.
      problem = null;
    }
    return new ApiError(status, problem?.detail ?? `The server answered ${status}.`, problem?.errors, problem?.current);
  }
}

/** A message to show for anything thrown. */
export const messageOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));
