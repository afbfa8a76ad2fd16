import * as z from 'zod';

/** Who may come in: anybody, the holder of a share link, any account, keepers and makers, makers only. */
export type Door = 'open' | 'share' | 'account' | 'maker';

/** The number of a row, in an address. */
export const rowId = z.coerce
  .number()
  .int()
  .min(1)
  .max(2 ** 31 - 1);

/** One HTTP call: its schemas are what the server checks, what the page is typed by and what the OpenAPI document says. */
export interface Endpoint<
  P extends z.ZodType = z.ZodType,
  Q extends z.ZodType = z.ZodType,
  B extends z.ZodType = z.ZodType,
  R extends z.ZodType = z.ZodType,
> {
  readonly method: 'get' | 'post' | 'put' | 'patch' | 'delete';
  /** Express style, `:name` for parameters. */
  readonly path: string;
  readonly door: Door;
  readonly summary: string;
  /** Largest body in bytes, where it may be more than usual. */
  readonly bodyBytes: number | undefined;
  readonly params: P;
  readonly query: Q;
  readonly body: B;
  readonly reply: R;
}

const nothing = z.object({});
type Nothing = typeof nothing;

/** Declares an endpoint; what is left out takes or gives nothing. */
export function endpoint<
  P extends z.ZodType = Nothing,
  Q extends z.ZodType = Nothing,
  B extends z.ZodType = Nothing,
  R extends z.ZodType = Nothing,
>(given: {
  method: Endpoint['method'];
  path: string;
  door: Door;
  summary: string;
  bodyBytes?: number;
  params?: P;
  query?: Q;
  body?: B;
  reply?: R;
}): Endpoint<P, Q, B, R> {
  return {
    method: given.method,
    path: given.path,
    door: given.door,
    summary: given.summary,
    bodyBytes: given.bodyBytes,
    params: given.params ?? (nothing as unknown as P),
    query: given.query ?? (nothing as unknown as Q),
    body: given.body ?? (nothing as unknown as B),
    reply: given.reply ?? (nothing as unknown as R),
  };
}

/** One HTTP call whose body or answer is bytes, a file or a stream: its door and its parameters are declared like any other's. */
export interface RawEndpoint<P extends z.ZodType = z.ZodType> extends Pick<Endpoint<P>, 'method' | 'path' | 'door' | 'summary' | 'params'> {
  readonly raw: true;
  /** Media type of its answer. */
  readonly gives: string;
}

export function rawEndpoint<P extends z.ZodType = Nothing>(given: {
  method: Endpoint['method'];
  path: string;
  door: Door;
  summary: string;
  gives: string;
  params?: P;
}): RawEndpoint<P> {
  return { ...given, raw: true, params: given.params ?? (nothing as unknown as P) };
}

/** RFC 9457 problem document; `detail` says what to do. */
export const problemSchema = z.object({
  type: z.string(),
  title: z.string(),
  status: z.number().int(),
  detail: z.string(),
  /** Where in the request the trouble is: path and what is wrong there. */
  errors: z.array(z.object({ path: z.string(), message: z.string() })).optional(),
  /** What is in force, where somebody else has changed it meanwhile (409). */
  current: z.unknown().optional(),
});
export type Problem = z.infer<typeof problemSchema>;
