import { timetableSchema, type Judging, type Node, type SheetPoint } from '@dewpost/contract';
import { type Burst, type HelloMessage } from '@dewpost/core/wire';
import type { Database, Transaction } from '../database/connect';
import { judgingOf, ownBody } from './own-body';
import type { NodeEntry, OutputTimetable, ThresholdEntry } from './entries';

export interface ThresholdRow {
  id: number;
  point_id: number;
  version: number;
  rule: ThresholdEntry['rule'];
}

/** Thresholds in force: all, or those on the points of the nodes named. */
export async function readThresholds(database: Database | Transaction, names?: readonly string[]): Promise<ThresholdRow[]> {
  const query = database('threshold as t')
    .join('threshold_version as v', function on() {
      this.on('v.threshold_id', 't.id').andOn('v.version', 't.version');
    })
    .whereNull('t.retired_at')
    .select('t.id', 't.point_id', 't.version', 'v.rule');
  if (names)
    void query.whereIn('t.point_id', database('point as p').join('node as n', 'n.id', 'p.node_id').whereIn('n.name', names).select('p.id'));
  return (await query) as ThresholdRow[];
}

/** Nodes (all, or those named) with their points. */
export async function readNodes(database: Database | Transaction, names?: readonly string[]): Promise<NodeEntry[]> {
  const query = database('node as n')
    .join('room as r', 'r.id', 'n.room_id')
    .leftJoin('build_sheet as s', 's.id', 'n.build_sheet_id')
    .whereNull('n.retired_at')
    .orderBy(['r.id', 'n.id'])
    .leftJoin('node as g', 'g.id', 'n.gateway_id')
    .select('n.*', 'r.name as room', 'r.slug as room_slug', 's.name as sheet', 'g.name as gateway');
  if (names) void query.whereIn('n.name', names);
  const rows = (await query) as NodeRow[];
  const points = (await database('point')
    .whereIn(
      'node_id',
      rows.map((row) => row.id),
    )
    .orderBy('place')
    .select(
      'id',
      'node_id',
      'place',
      'name',
      'body',
      'label',
      'judging',
      'held_until',
      'locked_by',
      'locked_at',
      'locked_until',
      'lock_reason',
    )) as {
    id: number;
    node_id: number;
    place: number;
    name: string;
    body: SheetPoint;
    label: string | null;
    judging: Judging | null;
    held_until: Date | null;
    locked_by: string | null;
    locked_at: Date | null;
    locked_until: Date | null;
    lock_reason: string | null;
  }[];
  const timetables = await readTimetables(database);
  const loaded = new Map(rows.map((row) => [row.id, entryOf(row)]));
  for (const row of points) {
    const node = loaded.get(row.node_id);
    const body = ownBody(row.body, { label: row.label, judging: row.judging });
    node?.points.set(row.name, {
      id: row.id,
      node,
      place: row.place,
      name: row.name,
      body,
      calibrations: [],
      heldUntil: row.held_until?.getTime() ?? null,
      lock:
        row.locked_by === null
          ? null
          : {
              by: row.locked_by,
              reason: row.lock_reason ?? '',
              since: row.locked_at?.getTime() ?? 0,
              until: row.locked_until?.getTime() ?? null,
            },
      timetable: timetables.get(row.id) ?? null,
      // Put in once all points are there.
      limits: null,
      winners: [],
      losers: [],
      inputs: [],
      inputGone: false,
      sheetLabel: row.body.label,
      sheetJudging: row.judging && judgingOf(row.body),
    });
  }
  return [...loaded.values()];
}

/** By output. */
async function readTimetables(database: Database | Transaction): Promise<Map<number, OutputTimetable>> {
  const rows = (await database('timetable').select('point_id', 'version', 'lines', 'hours', 'begun_at')) as {
    point_id: number;
    version: number;
    lines: unknown;
    hours: unknown;
    begun_at: Date;
  }[];
  return new Map(
    rows.map(({ point_id: point, version, lines, hours, begun_at: begun }) => [
      point,
      { version, ...timetableSchema.parse({ lines, hours }), begunAt: begun.getTime() },
    ]),
  );
}

interface NodeRow {
  id: number;
  name: string;
  /** `null`: its id. */
  title: string | null;
  kind: Node['kind'];
  room: string;
  room_slug: string;
  /** `null`: a source. */
  sheet: string | null;
  shard: number;
  state: Node['state'];
  key_digest: Buffer;
  old_key_digest: Buffer | null;
  key_sealed: string | null;
  heard_at: Date | null;
  hello: HelloMessage | null;
  hardware_id: string | null;
  revision: number;
  have_revision: number | null;
  have_at: Date | null;
  offered_firmware: string | null;
  key_rotates: boolean;
  report_seconds: number;
  fitted_at: Date | null;
  unproved: string[];
  live_since: Date | null;
  gateway: string | null;
  burst: Burst | null;
}

function entryOf(row: NodeRow): NodeEntry {
  return {
    id: row.id,
    name: row.name,
    title: row.title ?? row.name,
    kind: row.kind,
    room: row.room,
    roomSlug: row.room_slug,
    sheet: row.sheet ?? { node: '', adopted: 'Adopted', source: 'Source', computed: 'Computed' }[row.kind],
    shard: row.shard,
    state: row.state,
    keyDigest: row.key_digest,
    oldKeyDigest: row.old_key_digest,
    keySealed: row.key_sealed,
    heardAt: row.heard_at?.getTime() ?? null,
    heardNotedAt: row.heard_at?.getTime() ?? 0,
    hello: row.hello,
    hardwareId: row.hardware_id,
    revision: row.revision,
    haveRevision: row.have_revision,
    haveAt: row.have_at?.getTime() ?? null,
    offeredFirmware: row.offered_firmware,
    offer: null,
    update: null,
    keyRotates: row.key_rotates,
    reportSeconds: row.report_seconds,
    gateway: row.gateway,
    burst: row.burst,
    fittedAt: row.fitted_at?.getTime() ?? null,
    unproved: new Set(row.unproved),
    leastVolts: null,
    liveSince: row.live_since?.getTime() ?? null,
    hellos: 0,
    helloAt: null,
    stored: 0,
    connected: false,
    silent: false,
    points: new Map(),
  };
}
