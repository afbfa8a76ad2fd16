import type { Migration } from './migration';

/** Why somebody has put another version of a rule in force; what came before says nothing of it. */
export const whyAVersion044: Migration = {
  name: '044-why-a-version',
  sql: `alter table threshold_version add column why text not null default '';`,
};
