import type { Migration } from './migration';

/** Outputs that run by a timetable, and the hours in which rules may switch them at all. None of before has either. */
export const timetables033: Migration = {
  name: '033-timetables',
  sql: `
create table timetable (
  point_id int primary key references point on delete cascade,
  version int not null,
  lines jsonb not null,
  hours jsonb,
  -- The start of the run that was begun, or passed over, last.
  begun_at timestamptz not null,
  made_by text not null,
  made_at timestamptz not null default now()
);
alter table demand drop constraint demand_source_check;
alter table demand add constraint demand_source_check check (source in ('hand', 'threshold', 'fit', 'timetable'));
`,
};
