import type { Migration } from './migration';

/**
 * What is kept of stretches of the record (rollups), with the stretches that are due to be made; points say what their node sends where that
 * is not their unit. Points of before send their unit; all of their record is due.
 */
export const record018: Migration = {
  name: '018-record',
  sql: `
create table rollup (
  point_id int not null,
  -- 0 a minute, 1 a quarter of an hour, 2 a day of the site.
  level smallint not null,
  at timestamptz not null,
  -- Lowest to last are null where nothing in it is used.
  low float8,
  high float8,
  total float8 not null,
  count int not null,
  suspect int not null,
  bad int not null,
  late int not null,
  first float8,
  first_at timestamptz,
  last float8,
  last_at timestamptz,
  primary key (point_id, level, at)
);

-- Quarters of an hour whose readings have changed since they were rolled up. A mark is counted up rather than left as it is: that locks it
-- against being taken before the readings it stands for are committed.
create table rollup_due (
  point_id int not null,
  at timestamptz not null,
  marks int not null default 1,
  primary key (point_id, at)
) with (fillfactor = 50);
create index rollup_due_at on rollup_due (at);

insert into rollup_due (point_id, at)
select point_id, date_bin('15 minutes', at, '2000-01-01T00:00:00Z') from reading group by 1, 2;

update point set body = body || '{"raw": null}' where body->'raw' is null;
update build_sheet set body = jsonb_set(body, '{points}',
  coalesce((select jsonb_agg('{"raw": null}' || one.point order by one.place)
    from jsonb_array_elements(body->'points') with ordinality as one(point, place)), '[]'));
`,
};
