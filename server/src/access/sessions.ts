import type { Me } from '@dewpost/contract';
import connectPgSimple from 'connect-pg-simple';
import session from 'express-session';
import type { RequestHandler } from 'express';
import pg from 'pg';
import type { Database } from '../database/connect';
import { accountNow } from './accounts';

declare module 'express-session' {
  interface SessionData {
    me: Me;
  }
}

export interface Sessions {
  middleware: RequestHandler;
  /** Is this session still good? Asked again every 30 s of an open live stream. */
  stillGood(sid: string): Promise<boolean>;
  close(): Promise<void>;
}

/** Server-side sessions in PostgreSQL; the cookie is the only thing the browser holds. */
export function makeSessions(database: Database, databaseUrl: string, secret: string, isSecure: (host: string) => boolean): Sessions {
  const pool = new pg.Pool({
    connectionString: databaseUrl,
    max: 3,
    application_name: 'dewpost sessions',
    connectionTimeoutMillis: 5000,
    query_timeout: 10_000,
  });
  // An idle connection that breaks (database restart) is replaced by the pool at the next query.
  pool.on('error', () => undefined);
  const Store = connectPgSimple(session);
  // A store each: a session middleware gives the store its own way of making sessions, cookie and all.
  const storeOf = (prunes: boolean) =>
    new Store({ pool, tableName: 'session', createTableIfMissing: false, pruneSessionInterval: prunes ? 3600 : false });
  const stores = { plain: storeOf(true), overTls: storeOf(false) };
  const reader = (way: keyof typeof stores): RequestHandler => {
    const secure = way === 'overTls';
    return session({
      store: stores[way],
      secret,
      // Bound to this very host and to TLS, where people come by TLS.
      name: secure ? '__Host-dewpost.session' : 'dewpost.session',
      resave: false,
      saveUninitialized: false,
      rolling: false,
      // That the way from the proxy is not TLS is the proxy's business: its word is that the browser's way is.
      proxy: secure,
      cookie: { httpOnly: true, sameSite: 'strict', maxAge: 14 * 86_400_000, path: '/', secure },
    });
  };
  const [plain, overTls] = [reader('plain'), reader('overTls')];
  const stored = (sid: string): Promise<Me | null> =>
    new Promise((resolve, reject) => {
      void stores.plain.get(sid, (error: unknown, data) => {
        if (error) reject(error instanceof Error ? error : new Error('the session store did not answer'));
        else resolve(data?.me ?? null);
      });
    });
  return {
    middleware: (request, response, next) => {
      const read = isSecure(request.headers.host ?? '') ? overTls : plain;
      void read(request, response, (error?: unknown) => {
        const { me } = request.session ?? {};
        if (error !== undefined || !me) return next(error);
        // The account is asked at each request: who was taken away, or is a maker no more, is so at once.
        accountNow(database, me.name).then((now) => {
          request.me = now;
          next();
        }, next);
      });
    },
    stillGood: async (sid) => {
      const me = await stored(sid);
      return me !== null && (await accountNow(database, me.name)) !== null;
    },
    async close() {
      for (const store of Object.values(stores)) store.close();
      await pool.end();
    },
  };
}
