import type { LiveEvent, NewRollout, Rollout as RolloutView } from '@dewpost/contract';
import {
  haltingFigure,
  rollBack,
  stepRollout,
  stepSizes,
  type Rollout,
  type RolloutNode,
  type RolloutSight,
  type RolloutState,
} from '@dewpost/core/update';
import type { Offer } from '@dewpost/core/wire';
import type { Logger } from 'pino';
import type { Catalogue } from '@dewpost/core/circuit';
import type { Database } from '../database/connect';
import { notFound, ProblemError } from '../http/problem';
import type { Hub } from '../live/hub';
import type { NodeEntry, Registry } from '../site/registry';
import type { Nodes } from '../site/nodes';
import { firmwareRows, imageFor, manifestOf, type FirmwareRow } from './firmware';
import { draftsOf } from '../site/drafts';
import type { Runs } from './runs';

/** What is on record of the sheet a node was made from. */
interface Build {
  board: string | null;
  /** Battery of its supply; `null`: always on. */
  battery: { lowRestedVolts: number } | null;
}

interface Held {
  id: number;
  image: FirmwareRow;
  by: string;
  madeAt: number;
  endedAt: number | null;
  rollout: Rollout;
  /** Per node: the image before, its run in the ledger, and the counters it is measured from. */
  facts: Map<string, { entry: NodeEntry; before: string | null; runId: number | null; from: Counters | null; build: Build }>;
}
interface Counters {
  at: number;
  stored: number;
  hellos: number;
}

const ACTIVE: readonly RolloutState[] = ['running', 'paused', 'going-back'];

/** Images on their way through the fleet: looks at every rollout that is under way each tick, and does what `core/update` orders. */
export class Rollouts {
  private readonly held = new Map<number, Held>();
  /** Images that are offered: two hundred nodes that fetch must not ask the database for every part. */
  private readonly images = new Map<string, FirmwareRow>();
  private timer: NodeJS.Timeout | null = null;
  /** One look, one change at a time. */
  private queue: Promise<unknown> = Promise.resolve();

  constructor(
    private readonly parts: {
      database: Database;
      registry: Registry;
      nodes: Nodes;
      runs: Runs;
      hub: Hub;
      log: Logger;
      tickMs: number;
      profiles: { catalogue(): Promise<Catalogue> };
      timezone(): Promise<string>;
      /** Where nodes fetch images. */
      imageAddress(): string;
    },
  ) {}

  /** Takes up what was under way when the server stopped. Healthiness is counted anew from now. */
  async load(): Promise<void> {
    const { database, registry } = this.parts;
    const rows = (await database('rollout').whereIn('state', [...ACTIVE])) as RolloutRow[];
    for (const row of rows) {
      const held = await this.heldOf(row);
      if (held) this.held.set(row.id, held);
    }
    for (const node of registry.nodes.values())
      if (node.offeredFirmware !== null) node.offer = await this.offerOf(node.offeredFirmware, this.offerId(node));
  }

  start(): void {
    this.timer = setInterval(() => {
      this.work(() => this.tick(Date.now())).catch((error: unknown) =>
        this.parts.log.error({ err: error }, 'a rollout could not be looked at'),
      );
    }, this.parts.tickMs);
  }

  async stop(): Promise<void> {
    if (this.timer) clearInterval(this.timer);
    await this.queue.catch(() => undefined);
  }

  /** Rollouts, newest first. */
  async list(): Promise<RolloutView[]> {
    const rows = (await this.parts.database('rollout').orderBy('id', 'desc').limit(30)) as RolloutRow[];
    const views: RolloutView[] = [];
    for (const row of rows) {
      const held = this.held.get(row.id) ?? (await this.heldOf(row));
      if (held) views.push(viewOf(held));
    }
    return views;
  }

  /** Begins a rollout. Nodes that cannot take it are left out, each with its reason; throws 422 where none is left. */
  begin(wanted: NewRollout, by: string): Promise<RolloutView> {
    return this.work(async () => {
      const { database, registry, runs } = this.parts;
      const image = await imageFor(database, null, wanted.firmware);
      const entries = wanted.nodes.map((name) => {
        const entry = registry.nodes.get(name);
        if (!entry) throw notFound(`node named ${name}`);
        return entry;
      });
      const busy = [...this.held.values()].find((one) => one.rollout.nodes.some(({ node }) => wanted.nodes.includes(node)));
      if (busy)
        throw new ProblemError(409, 'Under way', `Rollout ${busy.id} is at one of these nodes: let it end, or roll it back, first.`);
      const images = await firmwareRows(database);
      const builds = await this.builds(entries);
      const facts: Held['facts'] = new Map();
      const problems = new Map<string, string>();
      for (const entry of entries) {
        const build = builds.get(entry.id) ?? { board: null, battery: null };
        const runsNow = entry.hello?.firmwareSha256 ?? null;
        const before = images.find((one) => one.sha256 === runsNow && one.board === image.board)?.id ?? null;
        facts.set(entry.name, { entry, before, runId: null, from: null, build });
        const problem = leftOut(entry, image, build);
        if (problem) problems.set(entry.name, problem);
      }
      const going = entries.filter((entry) => !problems.has(entry.name));
      if (going.length === 0)
        throw new ProblemError(
          422,
          'Nobody to tell',
          `None of these nodes can take it: ${[...problems]
            .map(([node, why]) => `${node} ${why}`)
            .join('; ')
            .slice(0, 400)}.`,
        );
      const sizes = stepSizes(going.length, wanted.rule);
      const now = Date.now();
      const nodes = entries.map((entry): RolloutNode => {
        const why = problems.get(entry.name);
        const place = going.indexOf(entry);
        return {
          node: entry.name,
          step: why ? -1 : sizes.findIndex((size) => place < size),
          state: why ? 'left-out' : 'waiting',
          since: now,
          reached: false,
          bytes: 0,
          why: why ?? '',
        };
      });
      const id = await database.transaction(async (trx) => {
        const [row] = (await trx('rollout')
          .insert({ firmware_id: image.id, by_whom: by, rule: JSON.stringify(wanted.rule), state: 'running' })
          .returning('id')) as { id: number }[];
        if (!row) throw new Error('a rollout was not written');
        await trx('rollout_node').insert(
          nodes.map((node, place) => ({
            rollout_id: row.id,
            node_id: facts.get(node.node)?.entry.id,
            place,
            step: node.step,
            state: node.state,
            why: node.why,
            before_firmware: facts.get(node.node)?.before ?? null,
          })),
        );
        return row.id;
      });
      const held: Held = {
        id,
        image,
        by,
        madeAt: now,
        endedAt: null,
        facts,
        rollout: { rule: wanted.rule, state: 'running', nodes, why: '' },
      };
      this.held.set(id, held);
      for (const entry of going) await runs.stopOpen(entry);
      this.tell(held);
      return viewOf(held);
    });
  }

  /** Pauses it, goes on with it, or takes back what it has changed. Throws 409 where it is over. */
  set(id: number, wish: 'pause' | 'go-on' | 'roll-back', by: string): Promise<RolloutView> {
    return this.work(async () => {
      let held = this.held.get(id);
      if (!held) {
        const row = (await this.parts.database('rollout').where({ id }).first()) as RolloutRow | undefined;
        if (!row) throw notFound(`rollout ${id}`);
        // What is done can still be taken back.
        const ended = await this.heldOf(row);
        if (!ended || wish !== 'roll-back' || row.state === 'rolled-back')
          throw new ProblemError(409, 'Over', `Rollout ${id} is over: begin another.`);
        held = ended;
      }
      const now = Date.now();
      if (wish === 'roll-back') {
        const step = rollBack({ ...held.rollout, why: `taken back by ${by}` }, now);
        this.held.set(id, held);
        await this.keep(held, step.rollout, { tell: [], goBack: step.orders.goBack });
      } else if (held.rollout.state === 'running' || held.rollout.state === 'paused') {
        await this.keep(held, { ...held.rollout, state: wish === 'pause' ? 'paused' : 'running' }, { tell: [], goBack: [] });
      } else throw new ProblemError(409, 'Going back', `Rollout ${id} is going back already.`);
      return viewOf(held);
    });
  }

  /** The image that a node is offered now, for its fetching. */
  offered(node: NodeEntry): { file: string; sha256: string } | null {
    return node.offeredFirmware === null ? null : (this.images.get(node.offeredFirmware) ?? null);
  }

  private work<T>(piece: () => Promise<T>): Promise<T> {
    const result = this.queue.then(piece, piece);
    this.queue = result.catch(() => undefined);
    return result;
  }

  private async tick(now: number): Promise<void> {
    if (this.held.size === 0) return;
    const minute = minuteOfDay(now, await this.parts.timezone());
    for (const held of [...this.held.values()]) {
      const sights = new Map([...held.facts].map(([name, fact]) => [name, this.sight(held, fact, now)]));
      const { rollout, orders } = stepRollout(held.rollout, held.image.sha256, sights, now, minute);
      await this.keep(held, rollout, orders);
    }
  }

  private sight(held: Held, fact: NonNullable<ReturnType<Held['facts']['get']>>, now: number): RolloutSight {
    const { entry, from, build } = fact;
    return {
      connected: entry.connected,
      sleeps: build.battery !== null && entry.reportSeconds >= 300,
      runs: entry.hello?.firmwareSha256 ?? null,
      helloAt: entry.helloAt,
      resets: from ? Math.max(0, entry.hellos - from.hellos) : 0,
      rateShare: from ? rateShare(entry, from, now) : null,
      supplyProblem: supplyProblem(entry, build),
      report: entry.update?.report.sha256 === held.image.sha256 ? entry.update.report : null,
      reportAt: entry.update?.at ?? null,
    };
  }

  /** Keeps what a look has changed, gives the orders, and writes the ledger. */
  private async keep(held: Held, next: Rollout, orders: { tell: readonly string[]; goBack: readonly string[] }): Promise<void> {
    const { database, runs } = this.parts;
    const before = held.rollout;
    const nowhere = (node: RolloutNode): boolean => node.state === 'going-back' && held.facts.get(node.node)?.before === null;
    next = {
      ...next,
      nodes: next.nodes.map((node) =>
        nowhere(node)
          ? { ...node, state: 'failed', why: 'the image it ran before is not in the library: put it in, and roll that out' }
          : node,
      ),
    };
    held.rollout = next;
    const changed = next.nodes.filter((node, i) => node.state !== before.nodes[i]?.state);
    const progressed = next.nodes.some((node, i) => node.bytes !== before.nodes[i]?.bytes);
    for (const name of orders.tell) {
      const fact = held.facts.get(name);
      if (!fact) continue;
      fact.runId = await runs.beginAir(fact.entry, held.image, held.by);
      await this.offer(fact.entry, held.image.id, `${held.id}`);
    }
    for (const name of orders.goBack) {
      const fact = held.facts.get(name);
      if (!fact || fact.before === null) continue;
      const image = await imageFor(database, null, fact.before);
      fact.runId = await runs.beginAir(fact.entry, image, held.by);
      await this.offer(fact.entry, fact.before, `${held.id} back`);
    }
    for (const node of changed) {
      const fact = held.facts.get(node.node);
      if (!fact) continue;
      if (node.state === 'watched') fact.from = { at: Date.now(), stored: fact.entry.stored, hellos: fact.entry.hellos };
      if (['healthy', 'failed', 'back', 'left-out'].includes(node.state) && !orders.goBack.includes(node.node))
        await this.offer(fact.entry, null);
      if (fact.runId !== null) await runs.airStep(fact.runId, fact.entry, node);
      await database('rollout_node')
        .where({ rollout_id: held.id, node_id: fact.entry.id })
        .update({ state: node.state, since: new Date(node.since), why: node.why, run_id: fact.runId });
    }
    const over = !ACTIVE.includes(next.state);
    if (next.state !== before.state || next.why !== before.why) {
      held.endedAt = over ? Date.now() : null;
      await database('rollout')
        .where({ id: held.id })
        .update({ state: next.state, why: next.why, ended_at: held.endedAt === null ? null : new Date(held.endedAt) });
    }
    if (over) {
      this.held.delete(held.id);
      // What had begun and is not known to have ended is let go: a halted rollout holds nobody.
      for (const node of next.nodes)
        if (['told', 'fetching', 'starting'].includes(node.state)) {
          const fact = held.facts.get(node.node);
          if (fact) await this.offer(fact.entry, null);
        }
    }
    if (changed.length > 0 || progressed || next.state !== before.state) this.tell(held);
  }

  /** Tells a node which image to run; `null`: the one it runs. */
  private async offer(node: NodeEntry, firmware: string | null, id = ''): Promise<void> {
    if (node.offeredFirmware === firmware) return;
    node.offeredFirmware = firmware;
    node.offer = firmware === null ? null : await this.offerOf(firmware, id);
    await this.parts.database('node').where({ id: node.id }).update({ offered_firmware: firmware });
    this.parts.nodes.onSettings(node);
    this.parts.nodes.tell(node);
  }

  /** What an offer went out under, after a restart. */
  private offerId(node: NodeEntry): string {
    const held = [...this.held.values()].find((one) => one.facts.has(node.name));
    return held ? `${held.id}${held.image.id === node.offeredFirmware ? '' : ' back'}` : 'again';
  }

  private async offerOf(firmware: string, id: string): Promise<Offer> {
    const row = await imageFor(this.parts.database, null, firmware);
    this.images.set(row.id, row);
    return { id, manifest: manifestOf(row), from: this.parts.imageAddress() };
  }

  private async builds(entries: readonly NodeEntry[]): Promise<Map<number, Build>> {
    const { supplies } = await this.parts.profiles.catalogue();
    const drafts = await draftsOf(this.parts.database, entries);
    return new Map(
      [...drafts].map(([id, draft]) => [
        id,
        { board: draft?.board ?? null, battery: (draft ? supplies.get(draft.supply)?.battery : null) ?? null },
      ]),
    );
  }

  private async heldOf(row: RolloutRow): Promise<Held | null> {
    const { database, registry } = this.parts;
    const image = (await firmwareRows(database)).find((one) => one.id === row.firmware_id);
    if (!image) return null;
    const rows = (await database('rollout_node as m')
      .join('node as n', 'n.id', 'm.node_id')
      .where('m.rollout_id', row.id)
      .orderBy('m.place')
      .select('m.*', 'n.name')) as RolloutNodeRow[];
    const builds = await this.builds(rows.flatMap(({ name }) => registry.nodes.get(name) ?? []));
    const facts: Held['facts'] = new Map();
    for (const one of rows) {
      const entry = registry.nodes.get(one.name);
      if (!entry) continue;
      const from = one.state === 'watched' ? { at: Date.now(), stored: entry.stored, hellos: entry.hellos } : null;
      facts.set(one.name, {
        entry,
        before: one.before_firmware,
        runId: one.run_id,
        from,
        build: builds.get(entry.id) ?? { board: null, battery: null },
      });
    }
    const nodes = rows.map(({ name, step, state, since, why }): RolloutNode => ({
      node: name,
      step,
      state,
      since: since.getTime(),
      // What is known after a restart is what it runs.
      reached: registry.nodes.get(name)?.hello?.firmwareSha256 === image.sha256,
      bytes: 0,
      why,
    }));
    return {
      id: row.id,
      image,
      by: row.by_whom,
      madeAt: row.made_at.getTime(),
      endedAt: row.ended_at?.getTime() ?? null,
      facts,
      rollout: { rule: row.rule, state: row.state, nodes, why: row.why },
    };
  }

  private tell(held: Held): void {
    const event: LiveEvent = { type: 'rollout', rollout: viewOf(held) };
    this.parts.hub.publish([event]);
  }
}

interface RolloutRow {
  id: number;
  firmware_id: string;
  by_whom: string;
  made_at: Date;
  ended_at: Date | null;
  rule: Rollout['rule'];
  state: RolloutState;
  why: string;
}
interface RolloutNodeRow {
  name: string;
  step: number;
  state: RolloutNode['state'];
  since: Date;
  why: string;
  before_firmware: string | null;
  run_id: number | null;
}

/** Why a node takes no part, said before anything is told; `null`: it takes part. */
function leftOut(entry: NodeEntry, image: FirmwareRow, build: Build): string | null {
  const hasOutputs = [...entry.points.values()].some((point) => point.body.output);
  if (entry.gateway !== null) return 'is a leaf: it takes no images over the air';
  if (entry.state !== 'proved') return 'is not proved yet: write it at the bench';
  if (build.board !== null && build.board !== image.board) return `has a ${build.board}, the image is for ${image.board}`;
  if (entry.hello?.firmwareSha256 === image.sha256) return 'runs it already';
  if (hasOutputs && image.signed_by === null) return 'switches outputs, and the image is not signed';
  if (image.minimum_revision > entry.revision)
    return `holds revision ${entry.revision}, the image reads ${image.minimum_revision} and later`;
  return supplyProblem(entry, build);
}

/** What is not fine about a node's supply, by the volts it said last. */
function supplyProblem(entry: NodeEntry, build: Build): string | null {
  const volts = entry.hello?.batteryVolts;
  if (build.battery === null || volts === undefined || volts > build.battery.lowRestedVolts) return null;
  return `its battery is low: ${volts.toFixed(2)} V, ${build.battery.lowRestedVolts.toFixed(2)} V is the mark`;
}

/** Readings since, as a share of what its interval gives; `null` before two reports are due. */
function rateShare(entry: NodeEntry, from: Counters, now: number): number | null {
  const reports = (now - from.at) / (entry.reportSeconds * 1000);
  const got = entry.stored - from.stored;
  if (reports < 2) return got > 0 && entry.reportSeconds >= 300 ? 1 : null;
  const points = [...entry.points.values()].filter((point) => point.body.kind !== 'derived').length;
  // The report under way is not missing yet.
  return points === 0 ? 1 : got / (points * (reports - 1));
}

function minuteOfDay(now: number, timezone: string): number {
  const parts = new Intl.DateTimeFormat('en-GB', {
    timeZone: timezone,
    hour: '2-digit',
    minute: '2-digit',
    hourCycle: 'h23',
  }).formatToParts(now);
  const of = (type: string): number => Number(parts.find((part) => part.type === type)?.value ?? 0);
  return of('hour') * 60 + of('minute');
}

function viewOf(held: Held): RolloutView {
  const { id, image, by, madeAt, endedAt, rollout } = held;
  return {
    id,
    firmware: image.id,
    version: `${image.name} ${image.version}`,
    bytes: image.bytes,
    by,
    madeAt,
    endedAt,
    rule: { ...rollout.rule, shares: [...rollout.rule.shares] },
    state: rollout.state,
    why: rollout.why,
    // How many have begun after each step; those left out at the start belong to none.
    sizes: [...new Set(rollout.nodes.map((node) => node.step))]
      .filter((step) => step >= 0)
      .sort((a, b) => a - b)
      .map((step) => rollout.nodes.filter((node) => node.step >= 0 && node.step <= step).length),
    halting: haltingFigure(rollout),
    nodes: rollout.nodes.map(({ reached: _, ...node }) => node),
  };
}
