import type { Migration } from './migration';

/** Messages may be said by a node in the building. */
export const nodeWays037: Migration = {
  name: '037-node-ways',
  sql: `
alter table way drop constraint way_kind_check;
alter table way add constraint way_kind_check check (kind in ('webhook', 'mail', 'node'));
`,
};
