import type { Migration } from './migration';

/** An image may be made of parts for a board that holds nothing of ours, with a region that takes its configuration. Those of before are not. */
export const firstWrite015: Migration = {
  name: '015-first-write',
  sql: `alter table firmware add column parts jsonb, add column configuration jsonb;`,
};
