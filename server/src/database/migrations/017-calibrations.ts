import type { Migration } from './migration';

/** Calibrations of points, a version each; what is stored raw stays raw. Nothing of before is calibrated. */
export const calibrations017: Migration = {
  name: '017-calibrations',
  sql: `
create table calibration (
  point_id int not null references point (id),
  version int not null,
  method text not null,
  captures jsonb not null,
  gain float8 not null,
  value_offset float8 not null,
  uncertainty float8 not null,
  valid_from timestamptz not null,
  note text not null,
  made_by text not null,
  made_at timestamptz not null default now(),
  withdrawn_at timestamptz,
  withdrawn_by text,
  -- What was stored before has been converted by it, or without it; else that goes on at the next start.
  settled boolean not null default false,
  primary key (point_id, version)
);
`,
};
