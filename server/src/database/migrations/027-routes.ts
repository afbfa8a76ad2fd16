import type { Migration } from './migration';

/**
 * Who is told of alerts, and what was told of each. Nobody has laid routes; what is open was told when it tripped, and is not told again.
 */
export const routes027: Migration = {
  name: '027-routes',
  sql: `
create table route_plan (
  one boolean primary key default true check (one),
  version int not null,
  plan jsonb not null,
  changed_by text not null,
  changed_at timestamptz not null default now()
);
alter table site add column all_well_at timestamptz;
create table alert_told (
  alert_id int not null references alert on delete cascade,
  course int not null,
  repetition int not null,
  targets jsonb not null,
  at timestamptz not null default now(),
  primary key (alert_id, course, repetition)
);
insert into alert_told (alert_id, course, repetition, targets)
  select id, 0, 0, '[]' from alert where cleared_at is null and not journal;
`,
};
