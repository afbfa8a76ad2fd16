import type { Migration } from './migration';

/** Open networks have no passphrase, hidden ones are asked for by name; those of before tell their names and have one. */
export const networks021: Migration = {
  name: '021-networks',
  sql: `alter table site_network alter column passphrase_sealed drop not null, add column hidden boolean not null default false`,
};
