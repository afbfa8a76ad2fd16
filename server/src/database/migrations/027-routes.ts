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
-- What was told of it: for when each course was last (ms), and everybody who was. With the alert itself: a trip writes no row more for it.
alter table alert add column told jsonb;
update alert set told = jsonb_build_object('at', jsonb_build_object('0', floor(extract(epoch from now()) * 1000)), 'to', '[]'::jsonb, 'shiftMs', 0)
  where cleared_at is null and not journal;
`,
};
