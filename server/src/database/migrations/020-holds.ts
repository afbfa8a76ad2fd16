import type { Migration } from './migration';

/** Points whose rules are held while somebody works at them; none of before is. */
export const holds020: Migration = { name: '020-holds', sql: `alter table point add column held_until timestamptz` };
