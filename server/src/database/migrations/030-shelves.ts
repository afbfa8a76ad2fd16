import type { Migration } from './migration';

/** Alerts that somebody has put on the shelf until a time, and shelves by the key of the alerts they are for. None of before is. */
export const shelves030: Migration = {
  name: '030-shelves',
  sql: `
alter table alert
  add column shelved_until timestamptz,
  add column shelved_by text,
  add column shelved_why text,
  add constraint alert_shelf_is_whole check
    ((shelved_until is null) = (shelved_by is null) and (shelved_until is null) = (shelved_why is null));

create table shelf (
  alert_key text primary key,
  severity text not null,
  until timestamptz not null,
  by_whom text not null,
  why text not null
);
`,
};
