import type { Migration } from './migration';

/** Files of readings from elsewhere; a reading that came with one says which. Nothing of before came with any. */
export const imports019: Migration = {
  name: '019-imports',
  sql: `
create table import (
  id serial primary key,
  name text not null,
  bytes bigint not null,
  state text not null check (state in ('reading', 'read', 'keeping', 'kept', 'removing', 'failed')),
  error text,
  settings jsonb not null,
  -- What was found when it was gone through last.
  found jsonb not null,
  made_by text not null,
  made_at timestamptz not null default now()
);
alter table reading add column import_id int;
`,
};
