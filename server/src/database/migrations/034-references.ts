import type { Migration } from './migration';

/** Instruments that sensors are compared with, and which calibration was made beside which. Of those before nobody has said. */
export const references034: Migration = {
  name: '034-references',
  sql: `
create table reference (
  id serial primary key,
  name text not null,
  unit text not null,
  low double precision not null,
  high double precision not null,
  uncertainty double precision not null check (uncertainty >= 0),
  certificate text not null,
  certified_at timestamptz,
  due_at timestamptz,
  made_by text not null,
  made_at timestamptz not null default now(),
  retired_at timestamptz,
  constraint reference_shows_something check (high > low)
);
create unique index reference_name on reference (lower(name)) where retired_at is null;
alter table calibration add column reference_id int references reference (id);
-- Whether it was past its own day then.
alter table calibration add column reference_overdue boolean not null default false;
`,
};
