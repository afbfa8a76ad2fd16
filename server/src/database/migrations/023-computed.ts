import type { Migration } from './migration';

/** Points that are computed from others of any nodes, every version of how kept. Nothing of before is computed so. */
export const computed023: Migration = {
  name: '023-computed',
  sql: `
alter table node
  drop constraint node_kind_check,
  add constraint node_kind_check check (kind in ('node', 'source', 'adopted', 'computed'));
create table computed (
  point_id int primary key references point on delete cascade,
  version int not null,
  -- What is stored is computed anew from here on; null: it is all done.
  anew_from timestamptz
);
create table computed_version (
  point_id int not null references computed on delete cascade,
  version int not null,
  formula text not null,
  parameters jsonb not null,
  tolerance_seconds int not null,
  made_by text not null,
  made_at timestamptz not null default now(),
  primary key (point_id, version)
);
create table computed_input (
  point_id int not null,
  version int not null,
  place int not null,
  -- Null: an older version was computed from a point that was taken away since.
  input_id int references point on delete set null,
  primary key (point_id, version, place),
  foreign key (point_id, version) references computed_version on delete cascade
);
create index computed_input_of on computed_input (input_id);
`,
};
