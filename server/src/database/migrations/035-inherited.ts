import type { Migration } from './migration';

/** Calibrations that were copied from a like node, until somebody has confirmed them where they are. None of before was. */
export const inherited035: Migration = {
  name: '035-inherited',
  sql: `
alter table calibration
  add column inherited_from text,
  add column confirmed_at timestamptz,
  add column confirmed_by text,
  add constraint calibration_confirmed_whole check
    ((confirmed_at is null) = (confirmed_by is null) and (confirmed_at is null or inherited_from is not null));
`,
};
