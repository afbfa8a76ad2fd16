import type { Migration } from './migration';

/** News of a node itself are notices as well: of no rule, no point and no value. */
export const houseNews043: Migration = {
  name: '043-house-news',
  sql: `
alter table notice alter column threshold_id drop not null, alter column point_id drop not null, alter column value drop not null;
alter table notice add constraint notice_of_a_rule_whole
  check ((threshold_id is null) = (point_id is null) and (threshold_id is null) = (value is null));
`,
};
