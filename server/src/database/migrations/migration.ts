import type { Knex } from 'knex';

/** One step of the schema: SQL, or work on what is stored that SQL alone cannot say. Each runs in a transaction of its own. */
export type Migration = { readonly name: string } & ({ readonly sql: string } | { readonly run: (database: Knex) => Promise<void> });
