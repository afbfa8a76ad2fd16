import type { Migration } from './migration';

/** When a calibration is due to be made again; nobody has said so of those of before. */
export const due024: Migration = { name: '024-due', sql: `alter table calibration add column due_at timestamptz` };
