import type { Migration } from './migration';

/** Rules that somebody proved on their real nodes: one test at a time, each leg with what it took. None of before is. */
export const tripTests032: Migration = {
  name: '032-trip-tests',
  sql: `
create table trip_test (
  id serial primary key,
  threshold_id int not null references threshold (id),
  version int not null,
  title text not null,
  by_whom text not null,
  how text not null check (how in ('setpoint', 'by hand')),
  setpoint double precision not null,
  value double precision not null,
  output text,
  begun_at timestamptz not null,
  until timestamptz not null,
  ended_at timestamptz,
  ended_why text,
  passed boolean,
  legs jsonb not null default '[]',
  constraint trip_test_ends_whole check ((ended_at is null) = (ended_why is null) and (ended_at is null) = (passed is null))
);
create unique index trip_test_alone on trip_test ((true)) where ended_at is null;
create index trip_test_of_rule on trip_test (threshold_id, id desc);
`,
};
