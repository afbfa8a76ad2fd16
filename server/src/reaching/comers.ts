import type { RequestHandler } from 'express';

/** Most names under which somebody is counted. */
const MOST_HOSTS = 100;

/** Who comes in under which name, since the server started: accounts, not visits. */
export class Comers {
  private readonly byHost = new Map<string, Set<string>>();

  /** Notes who is signed in at a request; to stand behind the session, and behind the check of the name. */
  readonly note: RequestHandler = (request, _response, next) => {
    const { host } = request.headers;
    if (request.me && host !== undefined) {
      const known = this.byHost.get(host);
      if (known) known.add(request.me.name);
      else if (this.byHost.size < MOST_HOSTS) this.byHost.set(host, new Set([request.me.name]));
    }
    next();
  };

  by(host: string): number {
    return this.byHost.get(host)?.size ?? 0;
  }
}
