import type { RequestHandler } from 'express';
import type { IncomingMessage } from 'node:http';
import type { Config } from '../config';
import { ProblemError } from '../http/problem';

/** Host names (with port) under which the page may be asked for. */
export function allowedHosts(config: Config, port: number): ReadonlySet<string> {
  const names = ['localhost', '127.0.0.1', '[::1]', config.bind, config.nodeAddress, ...config.hosts];
  return new Set(
    names.flatMap((name) => (name.includes(':') && !name.startsWith('[') ? [name] : [`${name}:${port}`, ...(port === 80 ? [name] : [])])),
  );
}

/** May this request come from the page: its `Host` is on the list and its `Origin`, where there is one, is the same host? */
export function comesFromThePage(request: IncomingMessage, hosts: ReadonlySet<string>): boolean {
  const { host, origin } = request.headers;
  return host !== undefined && hosts.has(host) && (origin === undefined || origin === `http://${host}` || origin === `https://${host}`);
}

/**
 * The doors of the page's routes: a known `Host` always (a foreign name that resolves here is refused); for methods
 * that change something a matching `Origin`, or, where there is none, a JSON body and no cross-site `Sec-Fetch-Site`.
 */
export function doors(hosts: () => ReadonlySet<string>): RequestHandler {
  return (request, _response, next) => {
    if (!hosts().has(request.headers.host ?? '')) {
      throw new ProblemError(421, 'Unknown host', 'This server does not go by that name: add it to DEWPOST_HOSTS, or use its address.');
    }
    if (!['GET', 'HEAD', 'OPTIONS'].includes(request.method)) {
      const { origin } = request.headers;
      const site = request.headers['sec-fetch-site'];
      if (origin !== undefined) {
        if (!comesFromThePage(request, hosts()))
          throw new ProblemError(403, 'Wrong origin', 'This request comes from another site: open Dew Post itself.');
      } else if (
        site === 'cross-site' ||
        (request.headers['content-length'] !== '0' && request.method !== 'DELETE' && !request.is('application/json'))
      ) {
        throw new ProblemError(
          403,
          'Wrong origin',
          'Send a JSON body (Content-Type: application/json), or an Origin header that matches the host.',
        );
      }
    }
    next();
  };
}
