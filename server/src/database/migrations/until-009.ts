import { firstSlice } from './001-first-slice';
import type { Migration } from './migration';

/** What has landed up to the ninth; never changed again. */
export const until009: readonly Migration[] = [
  { name: '001-first-slice', sql: firstSlice },
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
