import type { Me } from '@dewpost/contract';
import connectPgSimple from 'connect-pg-simple';
import session from 'express-session';
import type { RequestHandler } from 'express';
import pg from 'pg';

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
export function makeSessions(databaseUrl: string, secret: string): Sessions {
  const pool = new pg.Pool({ connectionString: databaseUrl, max: 3, application_name: 'dewpost sessions' });
  // An idle connection that breaks (database restart) is replaced by the pool at the next query.
  pool.on('error', () => undefined);
  const Store = connectPgSimple(session);
  const store = new Store({ pool, tableName: 'session', createTableIfMissing: false, pruneSessionInterval: 3600 });
  return {
    middleware: session({
      store,
      secret,
      name: 'dewpost.session',
      resave: false,
      saveUninitialized: false,
      rolling: false,
      cookie: { httpOnly: true, sameSite: 'strict', maxAge: 14 * 86_400_000, path: '/' },
    }),
    stillGood: (sid) =>
      new Promise((resolve, reject) => {
        void store.get(sid, (error: unknown, data) => {
          if (error) reject(error instanceof Error ? error : new Error('the session store did not answer'));
          else resolve(Boolean(data?.me));
        });
      }),
    async close() {
      store.close();
      await pool.end();
    },
  };
}
