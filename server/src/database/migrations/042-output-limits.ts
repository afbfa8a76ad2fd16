import type { Migration } from './migration';

/** What an output may do within a day, and what forbids it; an alert where a guard ends what a rule still asks for. */
export const outputLimits042: Migration = {
  name: '042-output-limits',
  sql: `
create table output_limit (
  point_id int primary key references point on delete cascade,
  version int not null,
  body jsonb not null,
  made_by text not null,
  made_at timestamptz not null default now()
);
alter table alert drop constraint alert_kind_check;
alter table alert add constraint alert_kind_check check (kind in ('threshold', 'silent', 'sensor-lost', 'output-stuck', 'battery-low',
  'no-read-back', 'no-effect', 'on-backup', 'access-point', 'guard-ended'));
`,
};
