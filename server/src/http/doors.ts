import type { RequestHandler } from 'express';
import type { IncomingMessage } from 'node:http';
import type { Config } from '../config/config';
import { ProblemError } from '../problem/problem';

/** Under which names the page may be asked for, and from which origins it may be used. */
export interface Names {
  /** `Host` headers that are ours. */
  readonly hosts: ReadonlySet<string>;
  /** Hosts that are reached by TLS: their cookies are for TLS only. */
  readonly secure: ReadonlySet<string>;
  /** May a request to this host come from a page of this origin? */
  from(origin: string, host: string): boolean;
}

/** The names of a server that listens on these ports: its own addresses, those set, and the public ones with their schemes. */
export function namesOf(config: Config, port: number, tlsPort: number | null = null): Names {
  const own = ['localhost', '127.0.0.1', '[::1]', config.bind, config.nodeAddress, ...config.hosts];
  const at = (door: number, plain: number): string[] =>
    own.flatMap((name) => (name.includes(':') && !name.startsWith('[') ? [name] : [`${name}:${door}`, ...(door === plain ? [name] : [])]));
  const direct = at(port, 80);
  const directTls = tlsPort === null ? [] : at(tlsPort, 443).filter((host) => !direct.includes(host));
  const named = new Map([
    ...directTls.map((host): [string, string] => [host, `https://${host}`]),
    ...config.publicOrigins.map((origin): [string, string] => [new URL(origin).host, origin]),
  ]);
  const hosts = new Set([...direct, ...named.keys()]);
  return {
    hosts,
    secure: new Set([...named].filter(([, origin]) => origin.startsWith('https:')).map(([host]) => host)),
    from: (origin, host) => {
      const known = named.get(host);
      return known === undefined ? origin === `http://${host}` || origin === `https://${host}` : origin === known;
    },
  };
}

/** May this request come from the page: its `Host` is ours and its `Origin`, where there is one, is that host's? */
export function comesFromThePage(request: IncomingMessage, names: Names): boolean {
  const { host, origin } = request.headers;
  return host !== undefined && names.hosts.has(host) && (origin === undefined || names.from(origin, host));
}

/** Bodies that no page of another site can send without the browser asking us first (Fetch standard, CORS-safelisted request-header). */
const ASKED_FIRST = [
  'application/json',
  'text/csv',
  'application/octet-stream',
  'application/x-ndjson',
  'application/jsonl',
  'application/senml+json',
  'application/senml+cbor',
];

/**
 * The doors of the page's routes: a known `Host` always (a foreign name that resolves here is refused); for methods
 * that change something a matching `Origin`, or, where there is none, a body that no other site's page can send, and no cross-site
 * `Sec-Fetch-Site`.
 */
export function doors(names: () => Names): RequestHandler {
  return (request, _response, next) => {
    if (!names().hosts.has(request.headers.host ?? '')) {
      throw new ProblemError(
        421,
        'Unknown host',
        'This server does not go by that name: add it to DEWPOST_PUBLIC_URL, or use its address.',
      );
    }
    if (!['GET', 'HEAD', 'OPTIONS'].includes(request.method)) {
      const { origin } = request.headers;
      const site = request.headers['sec-fetch-site'];
      if (origin !== undefined) {
        if (!comesFromThePage(request, names()))
          throw new ProblemError(403, 'Wrong origin', 'This request comes from another site: open Dew Post itself.');
      } else if (
        site === 'cross-site' ||
        (request.headers['content-length'] !== '0' && request.method !== 'DELETE' && !request.is(ASKED_FIRST))
      ) {
        throw new ProblemError(
          403,
          'Wrong origin',
          'Send a JSON body (Content-Type: application/json), a table as text/csv, or an Origin header that matches the host.',
        );
      }
    }
    next();
  };
}
