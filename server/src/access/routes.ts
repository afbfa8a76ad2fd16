import { access, type Site } from '@dewpost/contract';
import { Router, type Request } from 'express';
import { ipKeyGenerator, rateLimit } from 'express-rate-limit';
import { listensOnLoopback, type Config } from '../config/config';
import type { Database } from '../database/connect';
import { bind } from '../http/bind';
import { readJson } from '../http/body';
import { ProblemError } from '../problem/problem';
import type { HouseEvents } from '../model/house-events';
import type { Registry } from '../model/registry';
import { accountCount, addAccount, checkPassword, listAccounts, removeAccount, setPassword } from './accounts';
import { DEMO_ACCOUNTS } from './demo-accounts';

const SIGN_IN_BYTES = 4096;

/** Signing in and out, and what the sign-in page shows. */
export function accessRoutes(parts: {
  database: Database;
  config: Config;
  registry: Registry;
  site: () => Promise<Site>;
  /** An account’s sessions have been ended: its open streams end too. */
  events: HouseEvents;
}): Router {
  const { database, config, registry, site, events } = parts;
  const demoAllowed = config.demo && listensOnLoopback(config);
  const router = Router();
  /** The demo's accounts that still have the demo's passwords. */
  const offered = async () => {
    const left = new Set((await listAccounts(database)).filter(({ demo }) => demo).map(({ name }) => name));
    return DEMO_ACCOUNTS.filter(({ name }) => left.has(name)).map((account) => ({ ...account }));
  };

  bind(router, access.door, async () => ({
    site: await site(),
    listening: config.bind,
    demo: demoAllowed ? await offered() : [],
    demoNodes: registry.nodes.size,
    empty: (await accountCount(database)) === 0,
  }));

  // A browser that is signed in has shown who it is.
  const signedIn = (request: unknown): boolean => Boolean((request as Request).me);
  const limited = (title: string) => (_request: unknown, _response: unknown, next: (error: unknown) => void) =>
    next(new ProblemError(429, 'Too many tries', `Too many tries for this ${title}: wait a minute, then try again.`, undefined, 60));
  const slower = { windowMs: 60_000, standardHeaders: 'draft-8', legacyHeaders: false, skipSuccessfulRequests: true } as const;
  router.post(
    access.signIn.path,
    // Whose account it is has to be known to count its tries.
    (request, response, next) => void readJson(request, response, SIGN_IN_BYTES).then(() => next(), next),
    rateLimit({ ...slower, limit: 30, skip: signedIn, handler: limited('address') }),
    rateLimit({
      ...slower,
      limit: 10,
      // Of one account from one address: wrong tries from elsewhere keep nobody out.
      keyGenerator: (request) =>
        `${ipKeyGenerator(request.ip ?? '')} account ${String((request.body as { name?: unknown } | undefined)?.name).slice(0, 80)}`,
      skip: signedIn,
      handler: limited('account'),
    }),
  );
  bind(router, access.signIn, async ({ body, request }) => {
    const me = await checkPassword(database, body.name, body.password, demoAllowed);
    if (!me)
      throw new ProblemError(
        401,
        'Not signed in',
        'Account and password do not go together. A maker can set a new password under Accounts, or on the server with npm run account.',
      );
    await new Promise<void>((resolve, reject) =>
      request.session.regenerate((error: unknown) => (error ? reject(new Error('the session store did not answer')) : resolve())),
    );
    request.session.me = me;
    await new Promise<void>((resolve, reject) =>
      request.session.save((error: unknown) => (error ? reject(new Error('the session store did not answer')) : resolve())),
    );
    return me;
  });
  bind(router, access.accounts, () => listAccounts(database));
  bind(router, access.addAccount, async ({ body }) => {
    await addAccount(database, body.name.trim(), body.role, body.password);
    return listAccounts(database);
  });
  bind(router, access.removeAccount, async ({ params }) => {
    await removeAccount(database, params.name, demoAllowed);
    events.tell('accountEnded', params.name);
    return listAccounts(database);
  });
  bind(router, access.setPassword, async ({ params, body, me, request }) => {
    const own = params.name === me?.name;
    if (!own && me?.role !== 'maker') throw new ProblemError(403, 'For makers', 'Only a maker may set another’s password: ask one.');
    if (own && !(await checkPassword(database, params.name, body.present ?? '', demoAllowed)))
      throw new ProblemError(422, 'Cannot be used', 'Your present password is another one.', [
        { path: 'body.present', message: 'this is not your present password' },
      ]);
    await setPassword(database, params.name, body.password, own ? request.sessionID : null);
    if (!own) events.tell('accountEnded', params.name);
    return {};
  });
  bind(router, access.me, ({ me }) => {
    if (!me) throw new ProblemError(401, 'Not signed in', 'Sign in first.');
    return me;
  });
  bind(router, access.signOut, async ({ request }) => {
    await new Promise<void>((resolve, reject) =>
      request.session.destroy((error: unknown) => (error ? reject(new Error('the session store did not answer')) : resolve())),
    );
    return {};
  });
  return router;
}
