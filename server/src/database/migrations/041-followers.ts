import type { Migration } from './migration';

/** Lamps and displays that follow a rule: what each shows while the rule stands in alarm, and otherwise. */
export const followers041: Migration = {
  name: '041-followers',
  sql: `
create table follower (
  id serial primary key,
  node_id int not null unique references node on delete cascade,
  threshold_id int not null references threshold on delete cascade,
  beyond jsonb not null,
  otherwise jsonb not null,
  made_by text not null,
  made_at timestamptz not null default now()
);
`,
};
