import type { FitReply } from '@dewpost/contract';
import { type Catalogue } from '@dewpost/core/circuit';
import {
  fitNeeds,
  fitOutcome,
  followsFrom,
  handTolerance,
  judgeSignal,
  judgeSupply,
  type FitNeed,
  type FitVerdict,
} from '@dewpost/core/fit';
import { formatDuration } from '@dewpost/core/quantity';
import type { AskMessage, FitMessage } from '@dewpost/core/wire';
import type { Logger } from 'pino';
import { randomToken } from '../vault/vault';
import type { Database, Transaction } from '../database/connect';
import type { Engine } from '../engine/engine';
import { notFound, ProblemError } from '../problem/problem';
import type { Hub } from '../events/hub';
import type { HouseEvents } from '../model/house-events';
import { changeNode, laneOf, tellNode } from '../model/node-change';
import { writeNodeLog } from '../model/node-log';
import type { NodeEntry, PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { Change, Store } from '../store/change';
import type { Runs } from './runs';
import { type FitBuild, buildOf } from './fit-build';
import { fitRows, type Photo, keepPhoto, dropPhoto } from './fit-rows';
import { pointNamed, type Seen, judgeSeen } from './fit-seen';

/** What is under way at one node while somebody stands by it. */
interface UnderWay {
  signal: { by: string; until: number; levels: { at: number; dbm: number }[]; timer: NodeJS.Timeout } | null;
  /** Waits for this contact, or this value, to move from what it was, since `from`. */
  contact: { point: PointEntry; need: string; by: string; from: number; was: number | null; timer: NodeJS.Timeout } | null;
  /** The last stretch of levels, judged. */
  levels: { at: number; dbm: number }[];
  /** Lowest volts it said while it sent. */
  volts: number | null;
  /** When each output was last switched on from here. */
  operated: Map<string, number>;
}

const CONTACT_MS = 60_000;
const OPERATE_SECONDS = 10;
/** The last second's word may be on its way when the time is over. */
const GRACE_MS = 1200;

/** Proving nodes in place. Until every need has passed a node's thresholds and outputs stay unarmed. */
export class Fits {
  private readonly underWay = new Map<NodeEntry, UnderWay>();

  constructor(
    private readonly parts: {
      store: Store;
      registry: Registry;
      engine: Engine;
      hub: Hub;
      events: HouseEvents;
      log: Logger;
      runs: Runs;
      profiles: { catalogue(database?: Database | Transaction): Promise<Catalogue> };
      /** How long the signal is looked at. */
      seconds: number;
      /** A node is proved in place, in this change. */
      armed(change: Change, node: NodeEntry): Promise<void>;
      ask(node: NodeEntry, message: AskMessage): boolean;
    },
  ) {
    parts.events.on('readings', (readings) => {
      for (const { point, value, at } of readings) this.contactHeard(point, value, at);
    });
  }

  async view(node: NodeEntry, database: Database | Transaction = this.parts.store.database): Promise<FitReply> {
    const { row, checks, photos } = await fitRows(database, node);
    const build = await this.build(node, database);
    const now = this.underWay.get(node);
    const needs = this.needs(node, build).map((need): FitReply['needs'][number] => {
      const check = checks.findLast((one) => one.need === need.id);
      const point = need.point === null ? undefined : node.points.get(need.point);
      const running =
        (need.kind === 'signal' && now?.signal != null) ||
        ((need.kind === 'contact' || need.kind === 'self-test') && now?.contact?.point === point);
      return {
        ...need,
        state: running ? 'running' : !check ? 'open' : !check.possible ? 'not-possible' : check.passed ? 'passed' : 'failed',
        detail: check?.detail ?? '',
        by: check?.by_whom ?? null,
        at: check?.at.getTime() ?? null,
        selfTest: need.point === null ? null : (build.selfTests.get(need.point) ?? null),
        caution: point?.body.output?.caution ?? null,
        tolerance: point && need.kind === 'reading' ? handTolerance(point.body) : null,
      };
    });
    return {
      seconds: this.parts.seconds,
      fittedAt: row.fitted_at?.getTime() ?? null,
      fittedBy: row.fitted_by,
      needs,
      levels: now?.signal?.levels ?? now?.levels ?? [],
      askedUntil: now?.signal?.until ?? null,
      supply: { least: build.least, battery: build.battery, said: now?.volts ?? node.hello?.batteryVolts ?? null },
      photos: photos.map((photo) => ({ id: photo.id, at: photo.at.getTime(), by: photo.by_whom, note: photo.note })),
    };
  }

  /** Asks a node for its level, once a second. Throws 409 where it cannot be asked. */
  async askSignal(node: NodeEntry, by: string): Promise<FitReply> {
    const { seconds } = this.parts;
    const held = this.held(node);
    if (held.signal) throw new ProblemError(409, 'Being taken', 'The signal is being taken already: stay by the node.');
    if (!this.parts.ask(node, { id: randomToken(), ask: 'fit', seconds: seconds + 2 }))
      throw new ProblemError(409, 'Not reachable', `${node.name} is not connected: wake it, or look at its supply and its network first.`);
    const timer = setTimeout(() => this.later(this.signalOver(node, by)), seconds * 1000 + GRACE_MS);
    timer.unref();
    held.signal = { by, until: Date.now() + seconds * 1000, levels: [], timer };
    held.volts = null;
    return this.told(node);
  }

  /** A word of a node that is being fitted. */
  async heard(node: NodeEntry, { rssiDbm, supplyVolts }: FitMessage): Promise<void> {
    const held = this.held(node);
    if (supplyVolts !== undefined) held.volts = Math.min(held.volts ?? Infinity, supplyVolts);
    if (!held.signal) return;
    held.signal.levels.push({ at: Date.now(), dbm: rssiDbm });
    await this.told(node);
  }

  blink(node: NodeEntry): boolean {
    return this.parts.ask(node, { id: randomToken(), ask: 'blink', seconds: 10 });
  }

  async watchContact(node: NodeEntry, name: string, by: string): Promise<FitReply> {
    const point = pointNamed(node, name);
    const need = this.needs(node, await this.build(node)).find((one) => one.point === name);
    if (need?.kind !== 'contact' && need?.kind !== 'self-test')
      throw new ProblemError(409, 'Compare it', `${point.body.label} is compared with a hand instrument: type what that shows.`);
    const held = this.held(node);
    if (held.contact) clearTimeout(held.contact.timer);
    const timer = setTimeout(() => {
      held.contact = null;
      this.later(
        this.keep(node, need.id, by, {
          passed: false,
          text:
            need.kind === 'contact'
              ? 'No change came within a minute: look at the magnet’s distance and the wires.'
              : 'It did not follow within a minute: look at its wires and its supply.',
        }),
      );
    }, CONTACT_MS);
    timer.unref();
    held.contact = { point, need: need.id, by, from: Date.now(), was: this.parts.engine.state.newest.get(point.id)?.value ?? null, timer };
    return this.told(node);
  }

  /** Operates an output for ten seconds at most; off ends it at once. Unarmed outputs move for nothing else. */
  async operate(node: NodeEntry, name: string, on: boolean, by: string): Promise<FitReply> {
    const output = pointNamed(node, name);
    if (!output.body.output) throw notFound(`output ${name}`);
    if (node.state !== 'proved')
      throw new ProblemError(409, 'Not proved', `${node.name} has not sent good readings yet: write it at the bench first.`);
    const now = Date.now();
    if (on) this.held(node).operated.set(name, now);
    const seconds = Math.min(OPERATE_SECONDS, output.body.output.guards.maxRunSeconds ?? OPERATE_SECONDS);
    await this.parts.engine.apply(
      on
        ? [
            {
              kind: 'start-demand',
              demand: { output, source: 'fit', threshold: null, startedAt: now, endsAt: now + seconds * 1000, by, reason: 'being fitted' },
            },
          ]
        : [
            { kind: 'end-demand', output, source: 'fit', threshold: null, at: now, why: `fitted by ${by}` },
            { kind: 'command', output, on: false, reason: 'hand', at: now },
          ],
    );
    await writeNodeLog(this.parts.store.database, [
      { node, level: 'info', text: `${name} operated ${on ? 'on' : 'off'} by ${by} while it was fitted` },
    ]);
    return this.told(node);
  }

  async check(node: NodeEntry, seen: Seen, by: string): Promise<FitReply> {
    const { need, verdict, possible } = judgeSeen(node, seen, {
      build: await this.build(node),
      needs: (build) => this.needs(node, build),
      newest: (point) => this.parts.engine.state.newest.get(point.id),
      readBackAt: (output) => this.parts.engine.state.relays.get(output.id)?.readAt ?? 0,
      operatedAt: (output) => this.held(node).operated.get(output) ?? Infinity,
    });
    return this.keep(node, need, by, verdict, possible);
  }

  async addPhoto(node: NodeEntry, photo: Photo): Promise<number> {
    const id = await keepPhoto(this.parts.store, node, photo);
    await this.told(node);
    return id;
  }

  async removePhoto(node: NodeEntry, id: number): Promise<FitReply> {
    await dropPhoto(this.parts.store.database, node, id);
    return this.told(node);
  }

  private async signalOver(node: NodeEntry, by: string): Promise<void> {
    const held = this.held(node);
    if (!held.signal) return;
    held.levels = held.signal.levels;
    held.signal = null;
    if (held.volts !== null) {
      // The node told its supply itself: nobody needs a meter. First, so that what it told is asked before the last is settled.
      const { least, battery } = await this.build(node);
      await this.keep(node, 'supply', by, judgeSupply(held.volts, least, battery));
    }
    await this.keep(node, 'signal', by, judgeSignal(held.levels, this.parts.seconds));
  }

  private contactHeard(point: PointEntry, value: number, at: number): void {
    const held = this.underWay.get(point.node);
    const wait = held?.contact;
    if (!held || !wait || wait.point !== point || at < wait.from) return;
    if (wait.was === null) {
      wait.was = value;
      return;
    }
    if (Math.abs(value - wait.was) < followsFrom(point.body)) return;
    clearTimeout(wait.timer);
    held.contact = null;
    const text = `changed to ${value}, ${((Date.now() - wait.from) / 1000).toFixed(1)} s after it was asked for; the message took ${formatDuration(Math.max(0, Date.now() - at))}`;
    this.later(this.keep(point.node, wait.need, wait.by, { passed: true, text }));
  }

  /** Keeps a verdict; when it was the last that was missing, the node is armed but for what could not be proved: one change. */
  private async keep(node: NodeEntry, need: string, by: string, { passed, text }: FitVerdict, possible = true): Promise<FitReply> {
    const { store } = this.parts;
    await store.commitInTurn(laneOf(node), async (change) => {
      await change.trx('fit_check').insert({ node_id: node.id, by_whom: by, need, passed, possible, detail: text });
      if (node.state !== 'proved') return;
      const { needs } = await this.view(node, change.trx);
      const { settled, unproved } = fitOutcome(needs);
      if (node.fittedAt === null ? !settled : unproved.join() === [...node.unproved].join()) return;
      await this.arm(change, node, by, needs, unproved);
    });
    return this.told(node);
  }

  private async arm(change: Change, node: NodeEntry, by: string, needs: FitReply['needs'], unproved: readonly string[]): Promise<void> {
    const { runs, hub } = this.parts;
    const first = node.fittedAt === null;
    const fittedAt = node.fittedAt ?? Date.now();
    await changeNode(
      change,
      node,
      { unproved: [...unproved], ...(first && { fitted_at: new Date(fittedAt), fitted_by: by }) },
      { fittedAt, unproved: new Set(unproved) },
    );
    const but = unproved.length > 0 ? `, but for ${unproved.join(', ')}: not possible to prove` : '';
    await writeNodeLog(change.trx, [{ node, level: 'info', text: `fitted by ${by}: its thresholds and outputs are armed${but}` }]);
    const words = `by ${by}: ${needs.map((one) => `${one.id} ${one.detail}`).join('; ')}`.slice(0, 500);
    if (first) await runs.besideBench(change, node, 'fit', words);
    tellNode(change, hub, node);
    await this.parts.armed(change, node);
  }

  /** What nobody waits for: a database that does not answer must not end the server. */
  private later(work: Promise<unknown>): void {
    work.catch((error: unknown) => this.parts.log.error({ err: error }, 'what was seen in place could not be kept'));
  }

  private needs(node: NodeEntry, { battery, uncalibrated }: Pick<FitBuild, 'battery' | 'uncalibrated'>): FitNeed[] {
    const tells = node.hello?.batteryVolts !== undefined || (this.underWay.get(node)?.volts ?? null) !== null;
    const points = [...node.points.values()].sort((a, b) => a.place - b.place).map((point) => point.body);
    return fitNeeds(points, { supply: battery || tells, uncalibrated });
  }

  private held(node: NodeEntry): UnderWay {
    const known = this.underWay.get(node) ?? { signal: null, contact: null, levels: [], volts: null, operated: new Map() };
    this.underWay.set(node, known);
    return known;
  }

  private async build(node: NodeEntry, database: Database | Transaction = this.parts.store.database): Promise<FitBuild> {
    return buildOf(database, await this.parts.profiles.catalogue(database), node);
  }

  private async told(node: NodeEntry): Promise<FitReply> {
    const fit = await this.view(node);
    this.parts.hub.publish([{ type: 'fit', node: node.name, fit }]);
    return fit;
  }
}
