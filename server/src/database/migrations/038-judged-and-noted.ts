import type { Migration } from './migration';

/**
 * What people have a point judged by in the place of what its sheet says; what happened to a node or a point beside its readings; the law that a
 * calibration follows; the pairs that a computed point follows.
 */
export const judgedAndNoted038: Migration = {
  name: '038-judged-and-noted',
  sql: `
alter table point add column judging jsonb;
create table happening (
  id int generated always as identity primary key,
  node_id int not null references node on delete cascade,
  -- Null: it is of the whole node.
  point_id int references point on delete cascade,
  at timestamptz not null,
  kind text not null check (kind in ('note', 'firmware')),
  text text not null,
  -- Null: it happened by itself.
  made_by text,
  made_at timestamptz not null default now(),
  constraint happening_note_by_somebody check ((kind = 'note') = (made_by is not null))
);
create index happening_of on happening (node_id, at desc);
alter table calibration add column law jsonb;
alter table computed_version add column pairs jsonb not null default '[]';
`,
};
