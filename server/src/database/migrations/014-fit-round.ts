import type { Migration } from './migration';

/** A check in place may be recorded as not possible: the node is armed but for the points that hang on it. What was armed before stays so. */
export const fitRound014: Migration = {
  name: '014-fit-round',
  sql: `
alter table fit_check add column possible boolean not null default true, add constraint fit_check_passed_is_possible check (possible or not passed);
alter table node add column unproved text[] not null default '{}';
`,
};
