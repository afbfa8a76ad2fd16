import type { Migration } from './migration';

/**
 * Nodes have a name that people read, points a label of their own; a node can be retired. Adopted nodes run firmware that cannot be changed:
 * what their topics mean is kept beside them. Reading accounts let other screens listen. Nothing of before changes its meaning.
 */
export const names013: Migration = {
  name: '013-names',
  sql: `
alter table node
  add column title text,
  add column retired_at timestamptz,
  drop constraint node_kind_check,
  drop constraint node_has_a_sheet,
  add constraint node_kind_check check (kind in ('node', 'source', 'adopted')),
  add constraint node_has_a_sheet check (kind <> 'node' or build_sheet_id is not null);
alter table point add column label text;

create table adopted_filter (
  node_id int not null references node (id),
  filter text not null unique,
  primary key (node_id, filter)
);
create table adopted_map (
  node_id int not null references node (id),
  place int not null,
  topic text not null,
  pointer text,
  point_id int not null references point (id),
  factor float8 not null,
  value_offset float8 not null,
  texts jsonb not null,
  primary key (node_id, place)
);

create table reader (
  id serial primary key,
  name text not null,
  account text not null unique,
  password_digest bytea not null,
  made_by text not null,
  made_at timestamptz not null default now()
);
create table reader_point (
  reader_id int not null references reader (id) on delete cascade,
  point_id int not null references point (id),
  primary key (reader_id, point_id)
);
`,
};
