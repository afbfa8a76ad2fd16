import knex, { type Knex } from 'knex';
import pg from 'pg';
import { migrations } from './migrations';

// bigint columns hold milliseconds and row numbers, far below 2^53: read them as numbers.
pg.types.setTypeParser(pg.types.builtins.INT8, Number);

export type Database = Knex;
export type Transaction = Knex.Transaction;

/** Opens a pool. Nothing is asked of the database yet. */
export function connect(url: string, connections = 12): Database {
  return knex({ client: 'pg', connection: { connectionString: url, application_name: 'dewpost' }, pool: { min: 1, max: connections } });
}

/** Brings the schema up to date; forward only. */
export async function migrate(database: Database): Promise<void> {
  await database.migrate.latest({
    migrationSource: {
      getMigrations: () => Promise.resolve(migrations),
      getMigrationName: (migration: (typeof migrations)[number]) => migration.name,
      getMigration: (migration: (typeof migrations)[number]) =>
        Promise.resolve({ up: (k: Knex) => k.raw(migration.sql), down: () => Promise.reject(new Error('migrations go forward only')) }),
    },
  });
}
