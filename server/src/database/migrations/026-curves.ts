import type { Migration } from './migration';

/** What bends a calibration, and the way it was made; those of before are straight, and made by no way of several steps. */
export const curves026: Migration = { name: '026-curves', sql: `alter table calibration add column curve jsonb, add column recipe text` };
