import type { Migration } from './migration';

/** Browsers that are pushed to and pages that are open are ways; the house has a key by which push services know it. */
export const push040: Migration = {
  name: '040-push',
  sql: `
alter table way drop constraint way_kind_check;
alter table way add constraint way_kind_check check (kind in ('webhook', 'mail', 'node', 'push', 'page'));
create table push_identity (
  one boolean primary key default true check (one),
  public_key text not null,
  private_sealed text not null
);
`,
};
