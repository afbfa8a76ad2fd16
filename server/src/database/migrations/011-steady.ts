import type { Migration } from './migration';

/**
 * One running run a node; settings go through the outbox; who proves an output asks for it as such; a reading is a finite number at a
 * time that pages can hold. Where a database of before has two running runs of a node, the older one was given up.
 */
export const steady011: Migration = {
  name: '011-steady',
  sql: `
update provision_run r set result = 'stopped', ended_at = now()
  where result = 'running' and exists (select 1 from provision_run n where n.node_id = r.node_id and n.result = 'running' and n.id > r.id);
create unique index provision_run_running on provision_run (node_id) where result = 'running';

alter table outbox drop constraint outbox_kind_check;
alter table outbox add constraint outbox_kind_check check (kind in ('command', 'message', 'settings'));
-- Whoever commits a row sends it at once; others may take it when that has not happened.
alter table outbox alter column next_try_at set default now() + interval '5 seconds';

-- Versions of what is edited as a whole, so that nobody overwrites what he has not seen.
create table edition (what text primary key, version int not null);
alter table catalogue_entry add column version int not null default 1;

-- Something sealed, by which a wrong secret key is noticed before it does harm.
create table key_check (one boolean primary key default true check (one), sealed text not null);

alter table demand drop constraint demand_source_check;
alter table demand add constraint demand_source_check check (source in ('hand', 'threshold', 'fit'));

-- Images are found by their name in the data directory, on whatever machine that is.
update firmware set file = regexp_replace(file, '^.*[/\\\\]', '');

delete from reading where value in ('Infinity', '-Infinity', 'NaN') or raw in ('Infinity', '-Infinity', 'NaN');
alter table reading add constraint reading_finite check (
  value > '-Infinity' and value < 'Infinity' and raw > '-Infinity' and raw < 'Infinity');
`,
};
