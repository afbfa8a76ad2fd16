import type { Migration } from './migration';

/** When the condition of a latched alert went: it stands until somebody resets it. */
export const latched039: Migration = {
  name: '039-latched',
  sql: `
alter table alert add column returned_at timestamptz;
`,
};
