import type { Node, Point, SheetPoint, ThresholdRuleBody } from '@dewpost/contract';
import { isUncalibrated, scaleOf, versionAt, type Curve } from '@dewpost/core/calibration';
import { engineRule, type Confirm, type Consequence, type ThresholdRule } from '@dewpost/core/alarm';
import {
  WAKE_POINT,
  WAKE_REASONS,
  type Burst,
  type HelloMessage,
  type Offer,
  type OwnThreshold,
  type UpdateReport,
} from '@dewpost/core/wire';
import type { Database, Transaction } from '../database/connect';

export interface NodeEntry {
  readonly id: number;
  /** Its id in the protocol: never changes. */
  readonly name: string;
  /** What people read. */
  title: string;
  /** Only a `node` has a board and a sheet. */
  readonly kind: Node['kind'];
  room: string;
  roomSlug: string;
  readonly sheet: string;
  readonly shard: number;
  state: Node['state'];
  keyDigest: Buffer;
  /** The key before this one: valid until the new one has been used. */
  oldKeyDigest: Buffer | null;
  keySealed: string | null;
  heardAt: number | null;
  /** When that was last written to the database. */
  heardNotedAt: number;
  hello: HelloMessage | null;
  hardwareId: string | null;
  revision: number;
  haveRevision: number | null;
  haveAt: number | null;
  /** The image it is told to run: its name in the library, and the offer as it goes out. */
  offeredFirmware: string | null;
  offer: Offer | null;
  /** Its newest word on an offer, and what it said of its outputs before it wrote. */
  update: { readonly report: UpdateReport; readonly at: number; readonly safe: string | null } | null;
  /** Its sealed key is told to it over the air; the old one goes on working until the new one has been used. */
  keyRotates: boolean;
  reportSeconds: number;
  /** Name of the gateway it is a leaf of; `null`: it reaches the site by itself. */
  gateway: string | null;
  /** How it sends as a leaf; `null`: as the plan says. */
  burst: Burst | null;
  /** When it was proved in place; `null`: not since it was written. */
  fittedAt: number | null;
  /** Points whose check in place was not possible: nothing that hangs on them is armed. */
  unproved: ReadonlySet<string>;
  /** Since when it is live, ms: what it sent before were trials; `null`: all of it counts. */
  liveSince: number | null;
  /** Since this server started: how often it said hello and when last, and how many of its readings were stored. */
  hellos: number;
  helloAt: number | null;
  stored: number;
  connected: boolean;
  silent: boolean;
  readonly points: Map<string, PointEntry>;
}

/** A calibration as intake wants it, from a time on (ms). */
export interface CalibrationInForce {
  readonly version: number;
  readonly from: number;
  readonly gain: number;
  readonly offset: number;
  /** What bends it. */
  readonly curve: Curve | null;
  /** Standard uncertainty, in the point's unit. */
  readonly uncertainty: number;
  /** When it is due to be made again, ms. */
  readonly dueAt: number | null;
}

/** Somebody has locked an output out: it is off, whatever asks for it. */
export interface Lock {
  readonly by: string;
  readonly reason: string;
  /** Since and until when, ms; `null`: until somebody takes it off. */
  readonly since: number;
  readonly until: number | null;
}

export interface PointEntry {
  readonly id: number;
  readonly node: NodeEntry;
  readonly place: number;
  readonly name: string;
  /** As its sheet lays it down, but called as this node calls it. */
  body: SheetPoint;
  /** Calibrations that were not withdrawn, oldest version first. */
  calibrations: readonly CalibrationInForce[];
  /** Until when its rules are held because somebody works at it, ms; `null`: they are not. */
  heldUntil: number | null;
  /** `null`: it is not locked out. */
  lock: Lock | null;
  /** What people have it computed from, on any node; empty for every other point. */
  inputs: readonly PointEntry[];
  /** Is one of those gone with its node? What is left says nothing any more. */
  inputGone: boolean;
  /** What its sheet calls it. */
  sheetLabel: string;
}

/** A rule as it is kept: with its clear level, and its consequences said. */
export type StoredRule = ThresholdRuleBody & { clearLevel: number; confirm: Confirm; consequences: Consequence[] };

export interface ThresholdEntry {
  readonly id: number;
  readonly point: PointEntry;
  readonly version: number;
  readonly rule: StoredRule;
  /** The same as the engine wants it. */
  readonly engineRule: ThresholdRule;
}

/** The nodes, points and thresholds of the site in memory; the database holds them, this is what the running server looks things up in. */
export class Registry {
  readonly nodes = new Map<string, NodeEntry>();
  readonly nodesByDigest = new Map<string, NodeEntry>();
  readonly points = new Map<number, PointEntry>();
  readonly thresholds = new Map<number, ThresholdEntry>();
  readonly thresholdsByPoint = new Map<number, ThresholdEntry[]>();
  /** The site's own time, for words that carry one. */
  timezone = 'UTC';
  /** Raw readings before that have gone, by the rule of what is kept; ms. */
  rawFrom = -Infinity;

  /**
   * `fitting: 'taken as done'` is for tests of what comes after it: nodes count as fitted from the start. No configuration
   * reaches it.
   */
  constructor(private readonly fitting: 'needed' | 'taken as done' = 'needed') {}

  /** Do a node's thresholds and outputs act: proved by its readings (or just now, in the change under way), and in place? */
  armed(node: NodeEntry, provedNow = false): boolean {
    return (node.state === 'proved' || provedNow) && (node.fittedAt !== null || this.fitting === 'taken as done');
  }

  /** Does what hangs on this point act: its node armed, and it, or what it is computed from, proved in place? */
  armedAt(point: PointEntry, provedNow = false): boolean {
    const { node, name, body } = point;
    // A limit in percent says nothing of counts; and what somebody moves about by hand says nothing of the room.
    if (uncalibrated(point) || this.isHeld(point) || point.inputGone || point.lock) return false;
    const proved = !node.unproved.has(name) && !(body.derived?.from ?? []).some((from) => node.unproved.has(from));
    // What is computed is worth no more than each of its inputs.
    return proved && this.armed(node, provedNow) && point.inputs.every((input) => this.armedAt(input));
  }

  /** Are its rules held, or those of what it is computed from? */
  isHeld(point: PointEntry): boolean {
    return point.heldUntil !== null || sourcesOf(point).some((source) => this.isHeld(source));
  }

  /** A point and all that is computed from it, on any node. */
  restingOn(point: PointEntry): PointEntry[] {
    const rests = (other: PointEntry): boolean => other === point || sourcesOf(other).some(rests);
    return [...this.points.values()].filter(rests);
  }

  /** Armed thresholds of a node whose output is its own: what it may follow alone while its link is down. */
  ownThresholds(node: NodeEntry): OwnThreshold[] {
    if (!this.armed(node)) return [];
    return this.thresholdsOfItsOwn(node).filter(({ point, output }) => !node.unproved.has(point) && !node.unproved.has(output));
  }

  /** Are there any, armed or not? */
  hasOwnThresholds(node: NodeEntry): boolean {
    return this.thresholdsOfItsOwn(node).length > 0;
  }

  private thresholdsOfItsOwn(node: NodeEntry): OwnThreshold[] {
    return [...node.points.values()].flatMap((point) =>
      (this.thresholdsByPoint.get(point.id) ?? []).flatMap(({ id, rule }): OwnThreshold[] => {
        const output = rule.output === null ? undefined : this.points.get(rule.output);
        // What is derived is computed here, and not known to the node.
        // A node compares what it reads itself: where the house converts that, the two would differ.
        if (
          output?.node !== node ||
          point.body.kind !== 'measured' ||
          point.calibrations.length > 0 ||
          point.body.raw !== null ||
          point.heldUntil !== null ||
          output.lock !== null
        )
          return [];
        // It may only switch on, and only by control: off at a trip is the house's to say.
        if (rule.act === 'off' || !rule.consequences.includes('control')) return [];
        const { side, setpoint, clearLevel, onDelaySeconds, offDelaySeconds, confirm } = rule;
        const measures: OwnThreshold['measures'] = [point.body.physicalMin, point.body.physicalMax];
        return [
          { id, point: point.name, output: output.name, side, setpoint, clearLevel, onDelaySeconds, offDelaySeconds, confirm, measures },
        ];
      }),
    );
  }

  async load(database: Database): Promise<void> {
    this.putNodes(await readNodes(database));
    this.putThresholds(await readThresholds(database));
    const site = (await database('site').first('timezone', 'raw_from')) as { timezone: string; raw_from: Date | null } | undefined;
    this.timezone = site?.timezone ?? this.timezone;
    this.rawFrom = site?.raw_from?.getTime() ?? -Infinity;
  }

  /** Reads anew what the database has of nodes and thresholds; what only this process knows of a node (its link, its counters) stays. */
  async refresh(database: Database): Promise<void> {
    const [nodes, thresholds] = [await readNodes(database), await readThresholds(database)];
    this.nodesByDigest.clear();
    for (const read of nodes) {
      const known = this.nodes.get(read.name);
      if (!known) {
        this.putNodes([read]);
        continue;
      }
      const { hellos, helloAt, stored, connected, silent, update, offer, points, heardNotedAt } = known;
      const heardAt = Math.max(known.heardAt ?? 0, read.heardAt ?? 0) || null;
      const stillOffered = read.offeredFirmware === known.offeredFirmware ? offer : null;
      Object.assign(known, read, {
        hellos,
        helloAt,
        stored,
        connected,
        silent,
        update,
        points,
        heardNotedAt,
        heardAt,
        offer: stillOffered,
      });
      this.putNodes([known]);
    }
    const inForce = new Set(thresholds.map(({ id }) => id));
    for (const id of [...this.thresholds.keys()]) if (!inForce.has(id)) this.dropThreshold(id);
    this.putThresholds(thresholds);
  }

  putNodes(nodes: readonly NodeEntry[]): void {
    for (const node of nodes) {
      this.nodes.set(node.name, node);
      this.nodesByDigest.set(node.keyDigest.toString('hex'), node);
      if (node.oldKeyDigest) this.nodesByDigest.set(node.oldKeyDigest.toString('hex'), node);
      for (const point of node.points.values()) this.points.set(point.id, point);
    }
  }

  putThresholds(rows: readonly ThresholdRow[]): ThresholdEntry[] {
    return rows.map((row) => this.putThreshold(row.id, row.point_id, row.version, row.rule));
  }

  /** Gives a node another key; its old one, where there is one, is found by as well until it is dropped. */
  rekey(node: NodeEntry, key: { digest: Buffer; old: Buffer | null; sealed: string | null }): void {
    for (const digest of [node.keyDigest, node.oldKeyDigest]) if (digest) this.nodesByDigest.delete(digest.toString('hex'));
    node.keyDigest = key.digest;
    node.oldKeyDigest = key.old;
    node.keySealed = key.sealed;
    for (const digest of [key.digest, key.old]) if (digest) this.nodesByDigest.set(digest.toString('hex'), node);
  }

  putThreshold(id: number, pointId: number, version: number, rule: ThresholdEntry['rule']): ThresholdEntry {
    const point = this.points.get(pointId);
    if (!point) throw new Error(`threshold ${id} stands on point ${pointId}, which does not exist`);
    this.dropThreshold(id);
    const entry: ThresholdEntry = { id, point, version, rule, engineRule: engineRule(rule, rule.confirm, intervalSeconds(point)) };
    this.thresholds.set(id, entry);
    this.thresholdsByPoint.set(pointId, [...(this.thresholdsByPoint.get(pointId) ?? []), entry]);
    return entry;
  }

  /** What a point is computed from: its rules wait as long for it as for the slowest of that. */
  putInputs(point: PointEntry, inputs: readonly PointEntry[], inputGone: boolean): void {
    point.inputs = inputs;
    point.inputGone = inputGone;
    this.retime(point);
  }

  /** A point is told more often or less from now on: its rules, and those of what is computed from it, wait as long. */
  retime(point: PointEntry): void {
    const rules = this.restingOn(point).flatMap(({ id }) => this.thresholdsByPoint.get(id) ?? []);
    for (const { id, point: above, version, rule } of rules) this.putThreshold(id, above.id, version, rule);
  }

  /** Takes a node out, with its points and thresholds: it is retired. */
  dropNode(node: NodeEntry): void {
    this.nodes.delete(node.name);
    for (const digest of [node.keyDigest, node.oldKeyDigest]) if (digest) this.nodesByDigest.delete(digest.toString('hex'));
    for (const point of node.points.values()) {
      for (const threshold of this.thresholdsByPoint.get(point.id) ?? []) this.thresholds.delete(threshold.id);
      this.thresholdsByPoint.delete(point.id);
      this.points.delete(point.id);
    }
  }

  dropThreshold(id: number): void {
    const entry = this.thresholds.get(id);
    if (!entry) return;
    this.thresholds.delete(id);
    this.thresholdsByPoint.set(
      entry.point.id,
      (this.thresholdsByPoint.get(entry.point.id) ?? []).filter((other) => other.id !== id),
    );
  }

  /** Thresholds whose trip switches this output. */
  thresholdsSwitching(outputId: number): ThresholdEntry[] {
    return [...this.thresholds.values()].filter((threshold) => threshold.rule.output === outputId);
  }
}

/** The longest that a battery node may be without a sign of life; an hour where a point protects (semantics §2). */
const HEARTBEAT_SECONDS = 86_400;
const PROTECTIVE_HEARTBEAT_SECONDS = 3600;
/** From this interval on a node sleeps between its reports, and a wake that comes a little late is none that was missed. */
const SLEEPS_SECONDS = 300;

/** How long a node may be quiet before it is silent: three reports that were missed, or two signs of life of one that sleeps. */
export function silentAfterMs(node: NodeEntry): number {
  const protects = [...node.points.values()].some((point) => point.body.protective);
  const heartbeat = Math.min(node.reportSeconds, protects ? PROTECTIVE_HEARTBEAT_SECONDS : HEARTBEAT_SECONDS);
  if (heartbeat < SLEEPS_SECONDS) return Math.max(3 * heartbeat * 1000, 5000);
  // A twentieth of grace: clocks of small boards.
  return 2 * heartbeat * 1000 * 1.05;
}

/** A reading found later than this after it was taken came in a backfill: its alerts "happened earlier" and command no output. */
export const tooLateAfterMs = (node: NodeEntry): number => Math.max(2 * node.reportSeconds * 1000, 60_000);

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
    .select('id', 'node_id', 'place', 'name', 'body', 'label', 'held_until', 'locked_by', 'locked_at', 'locked_until', 'lock_reason')) as {
    id: number;
    node_id: number;
    place: number;
    name: string;
    body: SheetPoint;
    label: string | null;
    held_until: Date | null;
    locked_by: string | null;
    locked_at: Date | null;
    locked_until: Date | null;
    lock_reason: string | null;
  }[];
  const loaded = new Map(rows.map((row) => [row.id, entryOf(row)]));
  for (const row of points) {
    const node = loaded.get(row.node_id);
    const body = row.label === null ? row.body : { ...row.body, label: row.label };
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
      inputs: [],
      inputGone: false,
      sheetLabel: row.body.label,
    });
  }
  return [...loaded.values()];
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
    liveSince: row.live_since?.getTime() ?? null,
    hellos: 0,
    helloAt: null,
    stored: 0,
    connected: false,
    silent: false,
    points: new Map(),
  };
}

/** A node as pages and scripts see it. */
export function nodeView(node: NodeEntry): Node {
  return {
    id: node.name,
    name: node.title,
    kind: node.kind,
    room: node.room,
    sheet: node.sheet,
    state: node.state,
    connected: node.connected,
    silent: node.silent,
    heardAt: node.heardAt,
    firmware: node.hello?.firmware ?? null,
    batteryVolts: node.hello?.batteryVolts ?? null,
    rssiDbm: node.hello?.rssiDbm ?? null,
    hardwareId: node.hardwareId,
    keySealed: node.keySealed !== null,
    revision: node.revision,
    haveRevision: node.haveRevision,
    haveAt: node.haveAt,
    offered: node.offeredFirmware,
    update: node.update?.report ?? null,
    keyRotates: node.keyRotates,
    reportSeconds: node.reportSeconds,
    gateway: node.gateway,
    fittedAt: node.fittedAt,
    unproved: [...node.unproved],
    liveSince: node.liveSince,
  };
}

/** Does nothing convert what its node sends? */
export const uncalibrated = ({ body, calibrations }: PointEntry): boolean => isUncalibrated(body.raw, calibrations);

/** A point as pages and scripts see it. */
export function pointView(point: PointEntry): Point {
  const { name, label, kind, unit, min, max, decimals, confirm, output, raw, derived } = point.body;
  return {
    ...scaleOf(point.body, point.calibrations),
    id: point.id,
    node: point.node.name,
    name,
    label,
    kind,
    confirm,
    output,
    raw,
    derived,
    states: point.name === WAKE_POINT ? [...WAKE_REASONS] : [],
    uncalibrated: uncalibrated(point),
    heldUntil: point.heldUntil,
    calibrationDue: versionAt(raw, point.calibrations, Date.now())?.dueAt ?? null,
    everySeconds: point.inputs.length === 0 ? null : intervalSeconds(point),
    calibratesTo: { unit, min, max, decimals },
  };
}

/** How often a point is told, s: what is computed is as slow as the slowest that it is computed from. */
export function intervalSeconds(point: PointEntry): number {
  const { inputs, node } = point;
  return inputs.length === 0 ? node.reportSeconds : Math.max(...inputs.map(intervalSeconds));
}

/** What a point is computed from: at its own node by its sheet, or on any by what people have laid down. */
function sourcesOf({ node, body, inputs }: PointEntry): PointEntry[] {
  const own = (body.derived?.from ?? []).flatMap((name) => node.points.get(name) ?? []);
  return [...own, ...inputs];
}
