import knex, { type Knex } from 'knex';
import pg from 'pg';
import { migrations, type Migration } from './migrations';

// bigint columns hold milliseconds and row numbers, far below 2^53: read them as numbers.
pg.types.setTypeParser(pg.types.builtins.INT8, Number);

export type Database = Knex;
export type Transaction = Knex.Transaction;

/** How long a connection may take to be made, and a statement to be answered, ms: after that the database counts as away. */
const CONNECT_MS = 5000;
const STATEMENT_MS = 15_000;

/** Opens a pool. Nothing is asked of the database yet. */
export function connect(url: string, connections = 12, statementMs: number = STATEMENT_MS): Database {
  // What a connection says as it breaks is thrown to whoever uses it, and said there.
  const quiet = {
    warn: (): void => undefined,
    error: (): void => undefined,
    debug: (): void => undefined,
    deprecate: (): void => undefined,
  };
  return knex({
    client: 'pg',
    connection: {
      connectionString: url,
      application_name: 'dewpost',
      connectionTimeoutMillis: CONNECT_MS,
      // A statement that hangs (a paused database) is given up by us, whatever the other end does. 0: never.
      statement_timeout: statementMs,
      options: `-c lock_timeout=${statementMs}`,
      query_timeout: statementMs === 0 ? undefined : statementMs + 1000,
      idle_in_transaction_session_timeout: 60_000,
    },
    acquireConnectionTimeout: CONNECT_MS,
    pool: { min: 1, max: connections },
    log: quiet,
  });
}

/** The connections of a database, as its pool counts them. */
export const poolOf = (database: Database): { numUsed(): number; numFree(): number } =>
  (database.client as { pool: { numUsed(): number; numFree(): number } }).pool;

/** Brings the schema of the database at this address up to date; what it does to large tables may take its time. */
export async function migrateAt(url: string): Promise<void> {
  const patient = connect(url, 2, 0);
  await migrate(patient).finally(() => patient.destroy());
}

/** Brings the schema up to date, or up to a migration of a name (for tests of those after it); forward only. */
export async function migrate(database: Database, upTo?: string): Promise<void> {
  const last = upTo === undefined ? migrations.length : migrations.findIndex((one) => one.name === upTo) + 1;
  await database.migrate.latest({
    migrationSource: {
      getMigrations: () => Promise.resolve(migrations.slice(0, last)),
      getMigrationName: (migration: Migration) => migration.name,
      getMigration: (migration: Migration) =>
        Promise.resolve({
          up: async (k: Knex): Promise<void> => ('sql' in migration ? void (await k.raw(migration.sql)) : migration.run(k)),
          down: () => Promise.reject(new Error('migrations go forward only')),
        }),
    },
  });
}
