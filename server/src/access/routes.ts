import { access, type Site } from '@dewpost/contract';
import { Router } from 'express';
import { rateLimit } from 'express-rate-limit';
import { listensOnLoopback, type Config } from '../config';
import type { Database } from '../database/connect';
import { bind } from '../http/bind';
import { ProblemError } from '../http/problem';
import type { Registry } from '../site/registry';
import { accountCount, checkPassword } from './accounts';
import { DEMO_ACCOUNTS } from './demo-accounts';

/** Signing in and out, and what the sign-in page shows. */
export function accessRoutes(parts: { database: Database; config: Config; registry: Registry; site: () => Promise<Site> }): Router {
  const { database, config, registry, site } = parts;
  const demoAllowed = config.demo && listensOnLoopback(config);
  const router = Router();

  bind(router, access.door, async () => ({
    site: await site(),
    listening: config.bind,
    demo: demoAllowed ? DEMO_ACCOUNTS.map((account) => ({ ...account })) : [],
    demoNodes: registry.nodes.size,
    empty: (await accountCount(database)) === 0,
  }));

  const limited = (title: string) => (_request: unknown, _response: unknown, next: (error: unknown) => void) =>
    next(new ProblemError(429, 'Too many tries', `Too many tries for this ${title}: wait a minute, then try again.`, undefined, 60));
  const slower = { windowMs: 60_000, standardHeaders: 'draft-8', legacyHeaders: false, skipSuccessfulRequests: true } as const;
  router.post(
    access.signIn.path,
    rateLimit({ ...slower, limit: 30, handler: limited('address') }),
    rateLimit({
      ...slower,
      limit: 10,
      keyGenerator: (request) => `account ${String((request.body as { name?: unknown } | undefined)?.name).slice(0, 80)}`,
      handler: limited('account'),
    }),
  );
  bind(router, access.signIn, async ({ body, request }) => {
    const me = await checkPassword(database, body.name, body.password, demoAllowed);
    if (!me)
      throw new ProblemError(
        401,
        'Not signed in',
        'Account and password do not go together. A maker can set a new password with npm run account.',
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
