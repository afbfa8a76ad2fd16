import type { NodeMishap } from '@dewpost/core/mishaps';
import * as z from 'zod';
import { ProblemError } from '../../problem/problem';

const ANSWER_MS = 5000;
const stateSchema = z.object({
  nodes: z.array(z.object({ node: z.string(), connected: z.boolean() })),
  networks: z.array(z.object({ name: z.string(), down: z.boolean() })),
});
export type StandinsState = z.output<typeof stateSchema>;

/** Something that goes wrong at a stand-in, or is moved there. */
export type Wish =
  | { what: 'node'; node: string; kind: NodeMishap; on: boolean }
  | { what: 'network'; network: string; on: boolean }
  | { what: 'act'; node: string; point: string; value: number };

/** The stand-ins that ship with the product, as a drill makes things go wrong with them. */
export class Standins {
  /** `null`: there are none. */
  constructor(private readonly url: string | null) {}

  get there(): boolean {
    return this.url !== null;
  }

  state(): Promise<StandinsState> {
    return this.call('GET');
  }

  set(wish: Wish): Promise<StandinsState> {
    return this.call('POST', wish);
  }

  private async call(method: 'GET' | 'POST', body?: object): Promise<StandinsState> {
    const failed = (): never => {
      throw new ProblemError(502, 'Stand-ins not answering', 'The stand-ins do not answer: start them again with npm start.');
    };
    if (this.url === null) return failed();
    const answer = await fetch(new URL('/mishaps', this.url), {
      method,
      redirect: 'error',
      signal: AbortSignal.timeout(ANSWER_MS),
      ...(body && { body: JSON.stringify(body), headers: { 'content-type': 'application/json' } }),
    }).catch(failed);
    const parsed = stateSchema.safeParse(await answer.json().catch(failed));
    return answer.ok && parsed.success ? parsed.data : failed();
  }
}
