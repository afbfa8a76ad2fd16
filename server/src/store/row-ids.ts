import type { Database } from '../database/connect';

/** Tables whose rows get their numbers before they are written. */
const TABLES = ['alert', 'demand', 'outbox'] as const;
type Table = (typeof TABLES)[number];

/** Numbers taken from a sequence at once. What is not used is never used again: numbers have gaps. */
const BLOCK = 200;

/**
 * Numbers for rows to be, taken from the tables' own sequences ahead of need: what refers to a row can be decided, and written in the same
 * statement, without asking the database for its number first.
 */
export class RowIds {
  private readonly free = new Map<Table, number[]>(TABLES.map((table) => [table, []]));

  constructor(private readonly database: Database) {}

  /** Sees to it that `count` rows of every table can be numbered. Throws what the database throws. */
  async ensure(count: number): Promise<void> {
    for (const [table, free] of this.free) {
      if (free.length >= count) continue;
      const { rows } = await this.database.raw<{ rows: { id: number }[] }>(
        `select nextval(pg_get_serial_sequence(?, 'id'))::float8 as id from generate_series(1, ?)`,
        [table, count + BLOCK],
      );
      free.push(...rows.map(({ id }) => id));
    }
  }

  /** The next number of a table; throws where `ensure` was not asked for as many. */
  take(table: Table): number {
    const id = this.free.get(table)?.shift();
    if (id === undefined) throw new Error(`no number was taken ahead for a row of ${table}`);
    return id;
  }

  /** Forgets what was taken: the database may be another than it was. */
  forget(): void {
    for (const free of this.free.values()) free.length = 0;
  }
}
