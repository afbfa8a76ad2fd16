import type { Migration } from './migration';

/** A source is a node without a board: it has no build sheet. What is there already are nodes. */
export const sources012: Migration = {
  name: '012-sources',
  sql: `
alter table node
  add column kind text not null default 'node' check (kind in ('node', 'source')),
  alter column build_sheet_id drop not null,
  add constraint node_has_a_sheet check (kind = 'source' or build_sheet_id is not null);
`,
};
