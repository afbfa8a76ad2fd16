import type { Migration } from './migration';

/** What has landed up to the ninth; never changed again. */
export const until009: readonly Migration[] = [
  {
    name: '001-first-slice',
    sql: `
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
`,
  },
  {
    name: '002-catalogue',
    sql: `
-- Profiles that people added or changed; those that ship are files.
create table catalogue_entry (id text primary key, body jsonb not null, made_by text not null, made_at timestamptz not null default now());
`,
  },
  {
    name: '003-site-plan',
    sql: `
-- Every version of the site plan is a row; the newest is in force. Pictures are named by the digest of their bytes.
create table site_plan (version int primary key, body jsonb not null, made_by text not null, made_at timestamptz not null default now());
create table site_picture (
  id text primary key,
  type text not null check (type in ('image/png', 'image/jpeg')),
  width int not null,
  height int not null,
  bytes bytea not null,
  made_by text not null,
  made_at timestamptz not null default now()
);

-- Networks in the order that nodes try them.
create table site_network (place int primary key, name text not null unique, passphrase_sealed text not null);
insert into site_network (place, name, passphrase_sealed)
  select 1, network_name, network_passphrase_sealed from site where network_name is not null and network_passphrase_sealed is not null;
alter table site drop column network_name, drop column network_passphrase_sealed;

-- The subnets of the site; what is fixed of it for a node stands with the node.
create table addressing (one boolean primary key default true check (one), body jsonb not null, made_by text not null, made_at timestamptz not null default now());
alter table node add column address text unique;

-- Steps of assembly that were ticked off, per node.
create table assembly_tick (
  node_id int not null references node on delete cascade,
  step text not null,
  by_whom text not null,
  at timestamptz not null default now(),
  primary key (node_id, step)
);
`,
  },
  {
    name: '004-firmware-library',
    sql: `
alter table firmware
  add column name text not null default 'dewnode',
  add column minimum_revision int not null default 1,
  add column notes text not null default '',
  add column signature text,
  add column signed_by text,
  add column made_by text not null default '',
  add column made_at timestamptz not null default now();
-- Boards are named by their profile.
update firmware set board = 'wifi-dual-38';
create unique index firmware_version on firmware (name, version, board);

-- Keys whose signatures the site trusts: Ed25519, Base64 of the 32 bytes.
create table trusted_key (public_key text primary key, name text not null unique, added_by text not null, added_at timestamptz not null default now());

-- What was written, by its digests, beside how it went; the configuration itself without its secrets.
alter table provision_run add column image_sha256 text, add column configuration_sha256 text, add column configuration jsonb;
`,
  },
  {
    name: '005-batches',
    sql: `
-- Nodes that are written together. One page at a time works on a batch: its hold runs out by itself when the page is gone.
create table provision_batch (
  id serial primary key,
  by_whom text not null,
  made_at timestamptz not null default now(),
  state text not null default 'running' check (state in ('running', 'paused', 'cancelled', 'done')),
  ended_at timestamptz,
  holder text not null,
  held_until timestamptz not null
);
create table provision_batch_node (
  batch_id int not null references provision_batch on delete cascade,
  node_id int not null references node on delete cascade,
  place int not null,
  primary key (batch_id, node_id)
);
`,
  },
  {
    name: '006-over-the-air',
    sql: `
-- When a node confirmed the revision it holds; the image it is told to run; a new key that it is told over the air.
alter table node
  add column have_at timestamptz,
  add column offered_firmware text,
  add column key_rotates boolean not null default false;

-- How a run went to its node: over serial, by another tool chain, or over the air.
alter table provision_run add column way text not null default 'serial' check (way in ('serial', 'elsewhere', 'air'));

create table rollout (
  id serial primary key,
  firmware_id text not null,
  by_whom text not null,
  made_at timestamptz not null default now(),
  rule jsonb not null,
  state text not null,
  why text not null default '',
  ended_at timestamptz
);
create table rollout_node (
  rollout_id int not null references rollout on delete cascade,
  node_id int not null references node on delete cascade,
  place int not null,
  step int not null,
  state text not null,
  since timestamptz not null default now(),
  why text not null default '',
  -- The image it ran before, to go back to; null where the library does not have it.
  before_firmware text,
  run_id int references provision_run,
  primary key (rollout_id, node_id)
);
`,
  },
  {
    name: '007-fit',
    sql: `
-- When a node was proved in place; until then its thresholds and outputs stay unarmed. Nodes that ran before this was kept stay armed.
alter table node add column fitted_at timestamptz, add column fitted_by text, add column written_at timestamptz;
update node set fitted_at = now(), fitted_by = 'before fitting was kept' where state = 'proved';

-- What was proved in place, every try of it. The newest of each need since the node was written counts.
create table fit_check (
  id bigserial primary key,
  node_id int not null references node on delete cascade,
  at timestamptz not null default now(),
  by_whom text not null,
  need text not null,
  passed boolean not null,
  detail text not null
);
create index fit_check_node on fit_check (node_id, id desc);

create table node_photo (
  id serial primary key,
  node_id int not null references node on delete cascade,
  at timestamptz not null default now(),
  by_whom text not null,
  note text not null,
  type text not null check (type in ('image/jpeg', 'image/png')),
  bytes bytea not null
);
`,
  },
  {
    name: '008-leaves',
    sql: `
-- A leaf reaches the site through this node, by datagrams; its key stays sealed for life.
alter table node add column gateway_id int references node, add column burst jsonb;
`,
  },
  {
    name: '009-choices',
    sql: `
-- Images chosen for a batch, by board; patterns of the lamp that an image has of its own; how leaves send, as planned.
alter table provision_batch add column firmware jsonb not null default '{}';
alter table firmware add column lamp jsonb;
alter table site add column leaf_burst jsonb;
`,
  },
];
