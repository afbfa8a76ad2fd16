import type { Migration } from './migration';

/** When the condition of a latched alert went: it stands until somebody resets it. What was drilled on stand-ins, and what came of it. */
export const latched039: Migration = {
  name: '039-latched',
  sql: `
alter table alert add column returned_at timestamptz;
alter table alert drop constraint alert_kind_check;
alter table alert add constraint alert_kind_check check (kind in ('threshold', 'silent', 'sensor-lost', 'output-stuck', 'battery-low',
  'no-read-back', 'no-effect', 'on-backup', 'access-point'));
create table drill (
  id serial primary key,
  kind text not null,
  by_whom text not null,
  begun_at timestamptz not null,
  ended_at timestamptz,
  ended_why text,
  passed boolean,
  steps jsonb not null default '[]',
  constraint drill_ends_whole check ((ended_at is null) = (ended_why is null) and (ended_at is null) = (passed is null))
);
create table interlock (
  id serial primary key,
  winner_id int not null references point on delete cascade,
  loser_id int not null references point on delete cascade,
  made_by text not null,
  made_at timestamptz not null default now(),
  constraint interlock_of_two check (winner_id <> loser_id),
  unique (winner_id, loser_id)
);
create unique index drill_alone on drill ((true)) where ended_at is null;
`,
};
