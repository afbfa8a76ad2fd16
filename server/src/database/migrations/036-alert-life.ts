import type { Migration } from './migration';

/** What somebody writes down of an alert, beside what happened to it by itself; why it came and what was done stand with it too. */
export const alertLife036: Migration = {
  name: '036-alert-life',
  sql: `
alter table alert_event
  add column kind text not null default 'life' check (kind in ('life', 'note', 'cause', 'remedy'));
create index alert_event_alert on alert_event (alert_id, id);
alter table alert
  add column cause text,
  add column remedy text;
create index alert_known on alert (tripped_at desc) where cause is not null or remedy is not null;
`,
};
