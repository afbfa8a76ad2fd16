import type { Migration } from './migration';

/** Alerts of further kinds, for every node without a rule made by hand. */
export const builtIn028: Migration = {
  name: '028-built-in',
  sql: `
alter table alert drop constraint alert_kind_check;
alter table alert add constraint alert_kind_check
  check (kind in ('threshold', 'silent', 'sensor-lost', 'output-stuck', 'battery-low', 'no-read-back', 'no-effect'));
`,
};
