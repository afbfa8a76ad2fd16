import { join, resolve } from 'node:path';
import { output, root } from './run.mjs';

/** A private PostgreSQL cluster on loopback, through pg.sh. */
export function cluster({ directory, port, fixedPortVariable, database = 'dewpost' }) {
  const env = {
    ...process.env,
    PG_DIR: resolve(directory),
    PG_PORT: String(port),
    PG_DB: database,
    ...(fixedPortVariable && { PG_FIXED_PORT_VARIABLE: fixedPortVariable }),
  };
  const script = (verb) => output('bash', [join(root, 'scripts/pg.sh'), verb], { env });
  return {
    /** Makes it where there is none, starts it, gives its address with its password. */
    start: async () => (await script('start')).trim().split('\n').at(-1),
    /** Drops and makes its database anew. */
    empty: () => script('empty'),
    stop: () => script('stop'),
    destroy: () => script('destroy'),
    running: () =>
      script('status').then(
        () => true,
        () => false,
      ),
  };
}
