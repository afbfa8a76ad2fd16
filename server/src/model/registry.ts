import { engineRule, othersOf, switchedBy, type Habit, type Reports, type ThresholdRule } from '@dewpost/core/alarm';
import { isWithinHours, midnightsOf } from '@dewpost/core/time';
import { type OwnThreshold } from '@dewpost/core/wire';
import type { Database } from '../database/connect';
import type { NodeEntry, PointEntry, ThresholdEntry } from './entries';
import { type ThresholdRow, readThresholds, readNodes } from './read-model';
import { ownThresholdsOf } from './own-thresholds';
import { uncalibrated } from './views';
import { intervalSeconds } from './periods';

/** A rule that is being proved: judged by another setpoint and without delays, until everything is put back. */
export interface RuleUnderTest {
  readonly threshold: number;
  readonly rule: ThresholdRule;
  readonly by: string;
}

/** The nodes, points and thresholds of the site in memory; the database holds them, this is what the running server looks things up in. */
export class Registry {
  readonly nodes = new Map<string, NodeEntry>();
  readonly nodesByDigest = new Map<string, NodeEntry>();
  readonly points = new Map<number, PointEntry>();
  /** Nodes that a drill is under way with: every message of theirs says so. */
  drilled: ReadonlySet<string> = new Set();
  /** Nodes that the server acts towards as if it were gone. */
  readonly deafTo = new Set<string>();
  /** Points of which standing still is doubted sooner than by their own habit, ms: for a drill only. */
  readonly stuckSooner = new Map<number, number>();
  /** What is usual at a point, where a rule wants to know. */
  private readonly habits = new Map<number, Habit>();
  readonly thresholds = new Map<number, ThresholdEntry>();
  readonly thresholdsByPoint = new Map<number, ThresholdEntry[]>();
  /** Rules of other points that need this one as well: as what they are held against, or as their second condition. */
  readonly thresholdsBeside = new Map<number, { threshold: ThresholdEntry; of: 'beside' | 'also' }[]>();
  /** The site's own time, for words that carry one. */
  timezone = 'UTC';
  /** The rule that is being proved, and how it is judged meanwhile; known to the running server only. */
  test: RuleUnderTest | null = null;
  /** When rules were proved last on their nodes, by their numbers, ms. */
  readonly provedAt = new Map<number, number>();
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
    return ownThresholdsOf(this, node).filter(({ point, output }) => !node.unproved.has(point) && !node.unproved.has(output));
  }

  /** Are there any, armed or not? */
  hasOwnThresholds(node: NodeEntry): boolean {
    return ownThresholdsOf(this, node).length > 0;
  }

  async load(database: Database): Promise<void> {
    const site = (await database('site').first('timezone', 'raw_from')) as { timezone: string; raw_from: Date | null } | undefined;
    this.timezone = site?.timezone ?? this.timezone;
    this.rawFrom = site?.raw_from?.getTime() ?? -Infinity;
    this.putNodes(await readNodes(database));
    // By the site's own time: some are judged at some hours only.
    this.putThresholds(await readThresholds(database));
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
      const { hellos, helloAt, stored, connected, silent, update, offer, points, heardNotedAt, leastVolts } = known;
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
        leastVolts,
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

  /** A rule with the points that it needs; not in force by that. Throws where its point does not exist. */
  thresholdOf(id: number, pointId: number, version: number, rule: ThresholdEntry['rule']): ThresholdEntry {
    const point = this.points.get(pointId);
    if (!point) throw new Error(`threshold ${id} stands on point ${pointId}, which does not exist`);
    const others = othersOf(rule);
    return {
      id,
      point,
      version,
      rule,
      beside: this.points.get(others.beside ?? 0) ?? null,
      also: this.points.get(others.also ?? 0) ?? null,
      engineRule: engineRule(
        rule,
        { confirm: rule.confirm, reportSeconds: intervalSeconds(point), habit: this.habits.get(pointId) ?? null },
        this.timezone,
        (other) => this.reportsOf(other),
      ),
    };
  }

  putThreshold(id: number, pointId: number, version: number, rule: ThresholdEntry['rule']): ThresholdEntry {
    const entry = this.thresholdOf(id, pointId, version, rule);
    this.dropThreshold(id);
    const others = othersOf(rule);
    this.thresholds.set(id, entry);
    this.thresholdsByPoint.set(pointId, [...(this.thresholdsByPoint.get(pointId) ?? []), entry]);
    for (const part of ['beside', 'also'] as const) {
      const other = others[part];
      if (other !== null) this.thresholdsBeside.set(other, [...(this.thresholdsBeside.get(other) ?? []), { threshold: entry, of: part }]);
    }
    return entry;
  }

  private reportsOf(pointId: number): Reports | undefined {
    const point = this.points.get(pointId);
    return point && { confirm: point.body.confirm, reportSeconds: intervalSeconds(point) };
  }

  /** What a point is computed from: its rules wait as long for it as for the slowest of that. */
  putInputs(point: PointEntry, inputs: readonly PointEntry[], inputGone: boolean): void {
    point.inputs = inputs;
    point.inputGone = inputGone;
    this.retime(point);
  }

  /** A point is told more often or less from now on: its rules, and those of what is computed from it, wait as long. */
  /** Another habit was learnt of a point: its rules are judged by that from now on. */
  putHabit(point: PointEntry, habit: Habit): void {
    this.habits.set(point.id, habit);
    this.retime(point);
  }

  retime(point: PointEntry): void {
    const rules = new Set(this.restingOn(point).flatMap(({ id }) => this.thresholdsWith(id)));
    for (const { id, point: above, version, rule } of rules) this.putThreshold(id, above.id, version, rule);
  }

  /** Rules that need a point: its own, and those of others that are held against it or have their second condition there. */
  thresholdsWith(pointId: number): ThresholdEntry[] {
    const beside = (this.thresholdsBeside.get(pointId) ?? []).map(({ threshold }) => threshold);
    return [...(this.thresholdsByPoint.get(pointId) ?? []), ...beside];
  }

  /** Takes a node out, with its points and thresholds: it is retired. */
  dropNode(node: NodeEntry): void {
    this.nodes.delete(node.name);
    const beside = [...node.points.values()].flatMap((point) => this.thresholdsBeside.get(point.id) ?? []);
    for (const digest of [node.keyDigest, node.oldKeyDigest]) if (digest) this.nodesByDigest.delete(digest.toString('hex'));
    for (const point of node.points.values()) {
      for (const threshold of this.thresholdsByPoint.get(point.id) ?? []) this.dropThreshold(threshold.id);
      this.thresholdsByPoint.delete(point.id);
      this.points.delete(point.id);
    }
    // Nobody waits for an output that is gone.
    for (const { winners, losers } of node.points.values())
      for (const other of [...winners, ...losers]) {
        other.winners = other.winners.filter(({ node: of }) => of !== node);
        other.losers = other.losers.filter(({ node: of }) => of !== node);
      }
    // What rules of others waited for is never told again.
    for (const { threshold } of beside)
      if (this.thresholds.has(threshold.id)) this.putThreshold(threshold.id, threshold.point.id, threshold.version, threshold.rule);
  }

  dropThreshold(id: number): void {
    const entry = this.thresholds.get(id);
    if (!entry) return;
    this.thresholds.delete(id);
    this.thresholdsByPoint.set(
      entry.point.id,
      (this.thresholdsByPoint.get(entry.point.id) ?? []).filter((other) => other.id !== id),
    );
    for (const other of Object.values(othersOf(entry.rule)))
      if (other !== null)
        this.thresholdsBeside.set(
          other,
          (this.thresholdsBeside.get(other) ?? []).filter(({ threshold }) => threshold.id !== id),
        );
  }

  private days: { readonly zone: string; readonly midnight: (at: number) => number } | null = null;
  /** When the site day of a time began, ms. */
  readonly midnight = (at: number): number => {
    if (this.days?.zone !== this.timezone) this.days = { zone: this.timezone, midnight: midnightsOf(this.timezone) };
    return this.days.midnight(at);
  };

  /** May rules and its timetable switch this output on at this hour (ms)? By hand it may be at any. */
  allowsNow({ timetable }: PointEntry, now: number): boolean {
    return timetable?.hours ? isWithinHours(this.timezone, timetable.hours, now) : true;
  }

  /** How a rule is judged while it is being proved; `null`: it is not. */
  testing(threshold: number): RuleUnderTest | null {
    return this.test?.threshold === threshold ? this.test : null;
  }

  /** Thresholds whose trip switches this output. */
  thresholdsSwitching(outputId: number): ThresholdEntry[] {
    return [...this.thresholds.values()].filter(({ rule }) => switchedBy(rule).some(({ output }) => output === outputId));
  }
}

/** What a point is computed from: at its own node by its sheet, or on any by what people have laid down. */
function sourcesOf({ node, body, inputs }: PointEntry): PointEntry[] {
  const own = (body.derived?.from ?? []).flatMap((name) => node.points.get(name) ?? []);
  return [...own, ...inputs];
}
