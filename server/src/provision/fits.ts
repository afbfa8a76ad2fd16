import type { FitReply } from '@dewpost/contract';
import { pictureHeader } from '../pictures/picture';
import { livesOnBattery, pointsOfSheet, type Catalogue, type SupplyProfile } from '@dewpost/core/circuit';
import {
  fitNeeds,
  fitOutcome,
  followsFrom,
  handTolerance,
  judgeByHand,
  judgeLevel,
  leastSupplyVolts,
  judgeSignal,
  RIGHT_ONCE_CALIBRATED,
  judgeSupply,
  SELF_TESTS,
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
import { draftOf } from '../model/drafts';
import { changeNode, laneOf, tellNode } from '../model/node-change';
import { writeNodeLog } from '../model/node-log';
import type { NodeEntry, PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { Change, Store } from '../store/change';
import type { Runs } from './runs';

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

/** What its build sheet says of a node that is fitted. */
interface Build {
  /** Least volts of its supply while it sends. */
  readonly least: number;
  readonly battery: boolean;
  readonly selfTests: ReadonlyMap<string, string>;
  readonly uncalibrated: ReadonlySet<string>;
}

const CONTACT_MS = 60_000;
const OPERATE_SECONDS = 10;
/** Photos that are kept of a node. */
const MOST_PHOTOS = 24;
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
      profiles: { catalogue(): Promise<Catalogue> };
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
    const row = (await database('node').where({ id: node.id }).first('fitted_at', 'fitted_by', 'written_at')) as {
      fitted_at: Date | null;
      fitted_by: string | null;
      written_at: Date | null;
    };
    const checks = (await database('fit_check')
      .where({ node_id: node.id })
      .where('at', '>=', row.written_at ?? new Date(0))
      .orderBy('id')) as { need: string; passed: boolean; possible: boolean; detail: string; by_whom: string; at: Date }[];
    const photos = (await database('node_photo').where({ node_id: node.id }).orderBy('id').select('id', 'at', 'by_whom', 'note')) as {
      id: number;
      at: Date;
      by_whom: string;
      note: string;
    }[];
    const build = await this.build(node);
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
    const point = this.point(node, name);
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
    const output = this.point(node, name);
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

  async check(
    node: NodeEntry,
    seen:
      | { kind: 'signal'; dbm: number }
      | { kind: 'supply'; volts: number }
      | { kind: 'reading'; point: string; hand: number; tolerance: number }
      | { kind: 'output'; point: string; seen: boolean }
      | { kind: 'self-test'; point: string; seen: boolean }
      | { kind: 'not-possible'; need: string; because: string },
    by: string,
  ): Promise<FitReply> {
    if (seen.kind === 'signal') {
      if (node.connected)
        throw new ProblemError(409, 'It can tell itself', `${node.name} is connected: let it tell its level for the time asked.`);
      return this.keep(node, 'signal', by, judgeLevel(seen.dbm));
    }
    if (seen.kind === 'supply') {
      const { least, battery } = await this.build(node);
      return this.keep(node, 'supply', by, judgeSupply(seen.volts, least, battery));
    }
    if (seen.kind === 'not-possible') {
      if (!this.needs(node, await this.build(node)).some(({ id }) => id === seen.need))
        throw notFound(`check ${seen.need} of ${node.name}`);
      return this.keep(node, seen.need, by, { passed: false, text: `not possible, because: ${seen.because}` }, false);
    }
    const point = this.point(node, seen.point);
    if (seen.kind === 'self-test')
      return this.keep(node, `self-test:${seen.point}`, by, {
        passed: seen.seen,
        text: seen.seen ? 'follows the hand' : 'does not follow: look at its wires and its supply',
      });
    if (seen.kind === 'output') {
      const asked = this.held(node).operated.get(seen.point) ?? Infinity;
      const operated = (this.parts.engine.state.relays.get(point.id)?.readAt ?? 0) >= asked;
      if (seen.seen && !operated)
        throw new ProblemError(409, 'Not operated', `Operate ${point.body.label.toLowerCase()} first, then say what you saw.`);
      return this.keep(node, `output:${seen.point}`, by, {
        passed: seen.seen,
        text: seen.seen ? 'operated, and seen to move' : 'operated and not seen to move: look at its driver, its supply and its wires',
      });
    }
    const newest = this.parts.engine.state.newest.get(point.id);
    if (!newest || newest.quality === 'bad')
      throw new ProblemError(409, 'No reading', `${point.body.label} has no good reading to compare with: wait for the next one.`);
    return this.keep(node, `reading:${seen.point}`, by, judgeByHand(point.body, newest.value, seen.hand, seen.tolerance));
  }

  async addPhoto(node: NodeEntry, type: string, bytes: Buffer, note: string, by: string): Promise<number> {
    if (pictureHeader(bytes)?.type !== type) throw new ProblemError(422, 'No picture', 'Send a JPEG or PNG picture.');
    const id = await this.parts.store.commitInTurn(`photos of ${node.name}`, async ({ trx }) => {
      const [kept] = (await trx('node_photo').where({ node_id: node.id }).count('id as number')) as { number: number }[];
      if (Number(kept?.number) >= MOST_PHOTOS)
        throw new ProblemError(409, 'Enough photos', `${node.name} has ${MOST_PHOTOS} photos: remove one first.`);
      const [row] = (await trx('node_photo')
        .insert({ node_id: node.id, by_whom: by, note: note.slice(0, 200), type, bytes })
        .returning('id')) as { id: number }[];
      if (!row) throw new Error('a photo was not written');
      return row.id;
    });
    await this.told(node);
    return id;
  }

  async removePhoto(node: NodeEntry, id: number): Promise<FitReply> {
    if ((await this.parts.store.database('node_photo').where({ node_id: node.id, id }).delete()) === 0)
      throw notFound(`photo ${id} of ${node.name}`);
    return this.told(node);
  }

  async photo(node: NodeEntry, id: number): Promise<{ type: string; bytes: Buffer }> {
    const row = (await this.parts.store.database('node_photo').where({ node_id: node.id, id }).first('type', 'bytes')) as
      { type: string; bytes: Buffer } | undefined;
    if (!row) throw notFound(`photo ${id} of ${node.name}`);
    return row;
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

  private needs(node: NodeEntry, { battery, uncalibrated }: Pick<Build, 'battery' | 'uncalibrated'>): FitNeed[] {
    const tells = node.hello?.batteryVolts !== undefined || (this.underWay.get(node)?.volts ?? null) !== null;
    const points = [...node.points.values()].sort((a, b) => a.place - b.place).map((point) => point.body);
    return fitNeeds(points, { supply: battery || tells, uncalibrated });
  }

  private point(node: NodeEntry, name: string): PointEntry {
    const point = node.points.get(name);
    if (!point) throw notFound(`point ${name} of ${node.name}`);
    return point;
  }

  private held(node: NodeEntry): UnderWay {
    const known = this.underWay.get(node) ?? { signal: null, contact: null, levels: [], volts: null, operated: new Map() };
    this.underWay.set(node, known);
    return known;
  }

  /** Least volts of the node's supply while it sends, and what to try at each of its parts. */
  private async build(node: NodeEntry): Promise<Build> {
    const draft = await draftOf(this.parts.store.database, node);
    const catalogue = await this.parts.profiles.catalogue();
    const supply: SupplyProfile | undefined = draft ? catalogue.supplies.get(draft.supply) : undefined;
    const selfTests = new Map<string, string>();
    const uncalibrated = new Set<string>();
    for (const point of draft ? pointsOfSheet(draft, catalogue) : []) {
      const group = catalogue.parts.get(draft?.parts.find((place) => place.ref === point.ref)?.part ?? '')?.group;
      const test = point.kind === 'measured' ? SELF_TESTS[group ?? 'other'] : undefined;
      if (test) selfTests.set(point.name, test);
      const calibrated = (node.points.get(point.name)?.calibrations.length ?? 0) > 0;
      if (test && group && !calibrated && RIGHT_ONCE_CALIBRATED.has(group)) uncalibrated.add(point.name);
    }
    return {
      least: leastSupplyVolts(draft, catalogue) ?? 3,
      battery: supply !== undefined && livesOnBattery(supply),
      selfTests,
      uncalibrated,
    };
  }

  private async told(node: NodeEntry): Promise<FitReply> {
    const fit = await this.view(node);
    this.parts.hub.publish([{ type: 'fit', node: node.name, fit }]);
    return fit;
  }
}
