import type { Migration } from './migration';

/** What nodes said of their supply and signal, each time they said hello. Nothing is known of before. */
export const nodeFacts031: Migration = {
  name: '031-node-facts',
  sql: `
create table node_fact (
  node_id int not null references node (id) on delete cascade,
  at timestamptz not null,
  volts real,
  rssi_dbm smallint,
  primary key (node_id, at),
  constraint node_fact_says_something check (volts is not null or rssi_dbm is not null)
);
`,
};
