import express, { type Express, type RequestHandler } from 'express';
import helmet from 'helmet';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import type { Logger } from 'pino';
import { pinoHttp } from 'pino-http';
import { doors, type Names } from './doors';
import { passDoor } from './bind';
import { openApiDocument } from './openapi';
import { ProblemError } from '../problem/problem';
import { problemHandler } from './problem-handler';

export interface AppParts {
  log: Logger;
  names: () => Names;
  trustedProxies: readonly string[];
  session: RequestHandler;
  /** Notes who comes in under which name. */
  noteComer: RequestHandler;
  /** What tells this server from another. */
  serverId: string;
  /** Puts the share link behind a request's cookie on it. */
  share: RequestHandler;
  nodeRoutes: RequestHandler;
  stages: readonly RequestHandler[];
  standins: RequestHandler | null;
  health(): Promise<{ ok: boolean; detail: Record<string, string> }>;
  metrics: { readonly contentType: string; text(): Promise<string> };
  webDirectory: string;
}

/** The HTTP application: node protocol, API, live streams, stand-ins and the page. */
export function makeApp(parts: AppParts): Express {
  const app = express();
  app.disable('x-powered-by');
  // Whose word is taken on who asks: nobody's, where no proxy is named.
  app.set('trust proxy', parts.trustedProxies.length > 0 ? [...parts.trustedProxies] : false);
  app.use(
    pinoHttp({
      logger: parts.log,
      // Addresses hold no secrets, and headers (cookies, keys) are not logged at all.
      serializers: {
        req: (request: { method: string; url: string }) => ({ method: request.method, path: request.url.split('?')[0] }),
        res: (response: { statusCode: number }) => ({ status: response.statusCode }),
      },
      customLogLevel: (_request, response, error) =>
        (error || response.statusCode >= 500) && response.statusCode !== 503 ? 'error' : 'debug',
    }),
  );
  app.get('/healthz', (_request, response) => {
    response.json({ ok: true, server: parts.serverId });
  });
  app.get('/readyz', async (_request, response) => {
    const { ok, detail } = await parts.health();
    response.status(ok ? 200 : 503).json({ ok, ...detail });
  });
  app.get('/metrics', async (_request, response) => {
    response.type(parts.metrics.contentType).send(await parts.metrics.text());
  });
  app.use('/node/v1', parts.nodeRoutes);

  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'self'"],
          scriptSrc: ["'self'"],
          // Plotly and Angular write style elements.
          styleSrc: ["'self'", "'unsafe-inline'"],
          imgSrc: ["'self'", 'data:'],
          fontSrc: ["'self'"],
          connectSrc: ["'self'", 'ws:', 'wss:'],
          workerSrc: ["'self'"],
          objectSrc: ["'none'"],
          baseUri: ["'self'"],
          formAction: ["'self'"],
          frameAncestors: ["'none'"],
        },
      },
      strictTransportSecurity: false,
      referrerPolicy: { policy: 'no-referrer' },
    }),
  );
  const atTheDoor = doors(parts.names);
  const api = express.Router();
  api.use(atTheDoor);
  api.use('/shared', parts.share);
  api.use((request, response, next) => {
    // An onlooker's routes know no account, and the other way round.
    if (request.path.startsWith('/shared')) next();
    else void parts.session(request, response, next);
  });
  api.use(parts.noteComer);
  app.use('/api/v1', api);
  // Bodies are read by the routes themselves, behind their doors.
  app.get('/api/v1/openapi.json', (_request, response) => {
    response.json(openApiDocument());
  });
  for (const stage of parts.stages) app.use(stage);
  app.use('/api', (request) => {
    throw new ProblemError(404, 'Not found', `There is no ${request.method} /api${request.path.slice(0, 100)}: see /api/v1/openapi.json.`);
  });

  if (parts.standins) {
    app.use(
      '/standins',
      atTheDoor,
      parts.session,
      (request, _response, next) => {
        passDoor('account', request);
        next();
      },
      parts.standins,
    );
  } else {
    app.use('/standins', () => {
      throw new ProblemError(404, 'Not found', 'There are no stand-ins here.');
    });
  }

  app.use(express.static(parts.webDirectory, { index: false, maxAge: '1y', immutable: true, fallthrough: true }));
  app.get('/{*path}', atTheDoor, (request, response) => {
    const page = join(parts.webDirectory, 'index.html');
    if (/\.\w+$/.test(request.path)) throw new ProblemError(404, 'Not found', 'There is no such file.');
    if (!existsSync(page)) throw new ProblemError(503, 'Not built', 'The page has not been built: npm run build.');
    response.setHeader('Cache-Control', 'no-store');
    response.sendFile(page, { dotfiles: 'allow' });
  });
  app.use(problemHandler(parts.log));
  return app;
}
