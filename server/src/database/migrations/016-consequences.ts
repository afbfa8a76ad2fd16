import type { Migration } from './migration';

/**
 * A rule's consequences: what had an output becomes alert and control, what was told in the journal only becomes control. Notices have a
 * table of their own. Ways reach people outside of the page; what goes by them lies in the outbox.
 */
export const consequences016: Migration = {
  name: '016-consequences',
  sql: `
update threshold_version set rule = rule || jsonb_build_object(
  'consequences', case
    when rule->>'output' is null then '["alert"]'::jsonb
    when rule->>'tells' = 'journal' then '["control"]'::jsonb
    else '["alert", "control"]'::jsonb end,
  'act', 'on', 'words', null, 'route', null);

create table notice (
  id bigserial primary key,
  threshold_id int not null references threshold (id),
  node_id int not null references node (id),
  point_id int not null references point (id),
  edge text not null check (edge in ('trip', 'clear')),
  title text not null,
  at timestamptz not null,
  value float8 not null,
  told boolean not null
);
create index notice_newest on notice (at desc);

create table way (
  id serial primary key,
  kind text not null check (kind in ('webhook', 'mail')),
  name text not null,
  settings jsonb not null,
  secret_sealed text,
  least text not null check (least in ('advisory', 'warning', 'critical')),
  notices boolean not null,
  made_by text not null,
  made_at timestamptz not null default now(),
  proved_at timestamptz,
  failed_at timestamptz,
  failure text
);

alter table outbox drop constraint outbox_kind_check;
alter table outbox add constraint outbox_kind_check check (kind in ('command', 'message', 'settings', 'way'));
`,
};
