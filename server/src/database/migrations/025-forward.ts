import type { Migration } from './migration';

/** Where readings are forwarded to, and what waits for it: written with the readings themselves. Nothing of before waits. */
export const forward025: Migration = {
  name: '025-forward',
  sql: `
create table forward (
  id serial primary key,
  version int not null default 1,
  settings jsonb not null,
  secret_sealed text,
  paused boolean not null default false,
  sent bigint not null default 0,
  dropped bigint not null default 0,
  -- When the last messages went, ms: what a receiver takes in a window holds over a restart.
  recent jsonb not null default '[]',
  sent_at timestamptz,
  failed_at timestamptz,
  failure text,
  made_by text not null,
  made_at timestamptz not null default now()
);
create table forward_point (
  forward_id int not null references forward on delete cascade,
  point_id int not null references point on delete cascade,
  place int not null,
  primary key (forward_id, point_id)
);
create table forward_item (
  id bigserial primary key,
  forward_id int not null references forward on delete cascade,
  point_id int not null references point on delete cascade,
  at timestamptz not null,
  value float8 not null,
  suspect boolean not null
);
create index forward_item_next on forward_item (forward_id, id);
`,
};
