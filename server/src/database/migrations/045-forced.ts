import type { Migration } from './migration';

/** What a trip test moved besides the setpoint: the lower end of a band, the setpoint of a second condition. Tests before moved neither. */
export const forced045: Migration = {
  name: '045-forced',
  sql: `alter table trip_test add column low double precision, add column also_setpoint double precision;`,
};
