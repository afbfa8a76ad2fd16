/** The first tables; never changed again. */
export const firstSlice = `
create table site (
  one boolean primary key default true check (one),
  name text not null,
  timezone text not null,
  network_name text,
  network_passphrase_sealed text
);

create table account (
  id serial primary key,
  name text not null unique,
  role text not null check (role in ('maker', 'keeper')),
  password_hash text not null,
  demo boolean not null default false,
  created_at timestamptz not null default now()
);

create table session (sid text primary key, sess json not null, expire timestamptz not null);
create index session_expire on session (expire);

create table room (id serial primary key, slug text not null unique, name text not null);

-- Every version of a build sheet is a row; the newest of a slug is in force.
create table build_sheet (
  id serial primary key,
  slug text not null,
  version int not null,
  name text not null,
  body jsonb not null,
  created_at timestamptz not null default now(),
  unique (slug, version)
);

create table node (
  id serial primary key,
  name text not null unique,
  room_id int not null references room,
  build_sheet_id int not null references build_sheet,
  shard int not null default 0,
  state text not null default 'planned' check (state in ('planned', 'writing', 'stopped', 'written', 'proved')),
  key_digest bytea not null unique,
  key_sealed text,
  -- While a new key has not been used yet, the old one goes on working.
  old_key_digest bytea,
  first_contact_at timestamptz,
  heard_at timestamptz,
  hello jsonb,
  hardware_id text,
  revision int not null default 1,
  have_revision int,
  report_seconds double precision not null,
  created_at timestamptz not null default now()
);
create unique index node_hardware on node (hardware_id) where hardware_id is not null;

create table point (
  id serial primary key,
  node_id int not null references node on delete cascade,
  place int not null,
  name text not null,
  body jsonb not null,
  unique (node_id, name)
);

create table reading (
  point_id int not null,
  at timestamptz not null,
  raw double precision not null,
  value double precision not null,
  quality smallint not null,
  flags smallint not null,
  reason smallint not null,
  calibration_id int,
  primary key (point_id, at)
) partition by range (at);

create table threshold (
  id serial primary key,
  point_id int not null references point on delete cascade,
  version int not null,
  retired_at timestamptz
);
create table threshold_version (
  threshold_id int not null references threshold on delete cascade,
  version int not null,
  rule jsonb not null,
  made_by text not null,
  made_at timestamptz not null default now(),
  primary key (threshold_id, version)
);

-- What the engine carries from batch to batch: a row a threshold ('t' and its id) and a row a point's quality ('q' and its id).
-- Rows change with every batch: room on the page keeps the updates in place.
create table engine_state (
  shard int not null,
  key text not null,
  state text not null,
  primary key (shard, key)
) with (fillfactor = 60);

create table alert (
  id serial primary key,
  kind text not null check (kind in ('threshold', 'silent', 'sensor-lost', 'output-stuck')),
  threshold_id int references threshold on delete cascade,
  threshold_version int,
  node_id int not null references node on delete cascade,
  point_id int references point on delete cascade,
  severity text not null,
  title text not null,
  body text not null,
  tripped_at timestamptz not null,
  found_at timestamptz not null default now(),
  value double precision,
  cleared_at timestamptz,
  cleared_why text,
  acknowledged_at timestamptz,
  acknowledged_by text,
  earlier boolean not null default false
);
create unique index alert_open_threshold on alert (threshold_id) where cleared_at is null and kind = 'threshold';
create unique index alert_open_node on alert (node_id, kind, coalesce(point_id, 0)) where cleared_at is null and kind <> 'threshold';
create index alert_newest on alert (tripped_at desc);

create table alert_event (
  id bigserial primary key,
  alert_id int not null references alert on delete cascade,
  at timestamptz not null default now(),
  what text not null,
  by_whom text
);

-- Who wants an output on, and until when. Rows are ended, never removed.
create table demand (
  id serial primary key,
  point_id int not null references point on delete cascade,
  source text not null check (source in ('hand', 'threshold')),
  threshold_id int references threshold on delete cascade,
  started_at timestamptz not null,
  ends_at timestamptz,
  by_whom text not null,
  reason text not null,
  ended_at timestamptz,
  ended_why text
);
create unique index demand_current on demand (point_id, source, coalesce(threshold_id, 0)) where ended_at is null;

create table command (
  id text primary key,
  point_id int not null references point on delete cascade,
  value boolean not null,
  lease_seconds double precision not null,
  issued timestamptz not null,
  not_after timestamptz not null,
  reason text not null,
  result text,
  result_reason text,
  answered_at timestamptz
);
create index command_waiting on command (point_id) where answered_at is null;

create table relay_state (point_id int primary key references point on delete cascade, view jsonb not null);

create table outbox (
  id bigserial primary key,
  kind text not null check (kind in ('command', 'message')),
  body jsonb not null,
  created_at timestamptz not null default now(),
  next_try_at timestamptz not null default now(),
  attempts int not null default 0,
  done_at timestamptz,
  failed_at timestamptz,
  error text
);
create index outbox_open on outbox (next_try_at) where done_at is null and failed_at is null;

create table node_log (
  id bigserial primary key,
  node_id int not null references node on delete cascade,
  at timestamptz not null default now(),
  level text not null,
  body text not null,
  times int not null default 1
);
create index node_log_newest on node_log (node_id, id desc);

create table share (
  id serial primary key,
  digest bytea not null unique,
  dashboard text not null,
  label text not null,
  made_by text not null,
  created_at timestamptz not null default now(),
  ends_at timestamptz not null,
  revoked_at timestamptz,
  seen_at timestamptz
);

create table firmware (
  id text primary key,
  version text not null,
  board text not null,
  bytes int not null,
  sha256 text not null,
  file text not null
);

create table provision_run (
  id serial primary key,
  node_id int not null references node on delete cascade,
  by_whom text not null,
  firmware text not null,
  started_at timestamptz not null default now(),
  ended_at timestamptz,
  result text not null default 'running' check (result in ('running', 'proved', 'stopped')),
  hardware_id text
);
create table provision_step (
  id bigserial primary key,
  run_id int not null references provision_run on delete cascade,
  at timestamptz not null default now(),
  step text not null,
  state text not null,
  ms double precision,
  detail text not null,
  code text
);
create index provision_step_run on provision_step (run_id, id);
`;
