import type { Migration } from './migration';

/**
 * How many months of raw readings are kept and where they begin; since when a node is live; sheets that were taken away. Everything of before
 * is kept, and counts.
 */
export const kept022: Migration = {
  name: '022-kept',
  sql: `
alter table site add column raw_months int check (raw_months >= 2), add column raw_from timestamptz;
alter table node add column live_since timestamptz;
alter table build_sheet add column retired_at timestamptz;
`,
};
