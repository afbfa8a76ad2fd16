import type { Migration } from './migration';

/** Outputs that somebody has locked out: off, whatever asks for them. None of before is. */
export const locks029: Migration = {
  name: '029-locks',
  sql: `
alter table point
  add column locked_by text,
  add column locked_at timestamptz,
  add column locked_until timestamptz,
  add column lock_reason text,
  add constraint point_lock_is_whole check ((locked_by is null) = (locked_at is null) and (locked_by is null) = (lock_reason is null));
`,
};
