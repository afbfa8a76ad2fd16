import type { NewRollout, Rollout as RolloutView } from '@dewpost/contract';
import type { Catalogue } from '@dewpost/core/circuit';
import { rollBack, stepRollout, type Rollout, type RolloutNode, type RolloutState } from '@dewpost/core/update';
import type { Offer } from '@dewpost/core/wire';
import { minuteAt } from '@dewpost/core/time';
import type { Logger } from 'pino';
import { notFound, ProblemError } from '../problem/problem';
import type { Hub } from '../events/hub';
import { changeNode, tellNode } from '../model/node-change';
import type { Nodes } from '../nodes/nodes';
import { nodeNamed } from '../model/lookup';
import type { NodeEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { Change, Store } from '../store/change';
import { airStep, beginAir, stopOpen } from './air-runs';
import { firmwareRows, imageFor, manifestOf, type FirmwareRow } from './firmware';
import { buildsOf, readRollout, sightOf, viewOf, type RolloutRow, type UnderWay } from './rollout-under-way';
import type { Runs } from './runs';
import { whoGoes } from './rollout-plan';

/** Rollouts are looked at and changed one at a time. */
const LANE = 'rollouts';
const ACTIVE: readonly RolloutState[] = ['running', 'paused', 'going-back'];

/** Images on their way through the fleet: looks at every rollout that is under way each tick, and does what `core/update` orders. */
export class Rollouts {
  private readonly underWay = new Map<number, UnderWay>();
  /** Images that are offered: two hundred nodes that fetch must not ask the database for every part. */
  private readonly images = new Map<string, FirmwareRow>();
  private timer: NodeJS.Timeout | null = null;
  private answeredFor = 0;

  constructor(
    private readonly parts: {
      store: Store;
      registry: Registry;
      nodes: Nodes;
      engine: { upToDate(): Promise<unknown> };
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
    const { registry, store } = this.parts;
    const rows = (await store.database('rollout').whereIn('state', [...ACTIVE])) as RolloutRow[];
    const read = await Promise.all(rows.map((row) => this.read(row)));
    this.underWay.clear();
    for (const rollout of read) if (rollout) this.underWay.set(rollout.id, rollout);
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
    await this.work(() => Promise.resolve());
  }

  /** Rollouts, newest first. */
  async list(): Promise<RolloutView[]> {
    const rows = (await this.parts.store.database('rollout').orderBy('id', 'desc').limit(30)) as RolloutRow[];
    const views: RolloutView[] = [];
    for (const row of rows) {
      const held = this.underWay.get(row.id) ?? (await this.read(row));
      if (held) views.push(viewOf(held));
    }
    return views;
  }

  /** Begins a rollout. Nodes that cannot take it are left out, each with its reason; throws 422 where none is left. */
  begin(wanted: NewRollout, by: string): Promise<RolloutView> {
    return this.work(async () => {
      const { registry, store, profiles } = this.parts;
      const { database } = store;
      const image = await imageFor(database, null, wanted.firmware);
      if (image.parts)
        throw new ProblemError(
          422,
          'Made of parts',
          `${image.name} ${image.version} is written whole into boards fresh from the shop: over the air goes an image for a slot.`,
        );
      const now = Date.now();
      const entries = wanted.nodes.map((name) => nodeNamed(registry, name));
      const busy = [...this.underWay.values()].find((one) => one.rollout.nodes.some(({ node }) => wanted.nodes.includes(node)));
      if (busy)
        throw new ProblemError(409, 'Under way', `Rollout ${busy.id} is at one of these nodes: let it end, or roll it back, first.`);
      const { facts, going, nodes } = whoGoes(image, wanted.rule, entries, {
        images: await firmwareRows(database),
        builds: await buildsOf(database, entries, await profiles.catalogue()),
        now,
      });
      return store.commit(async (change) => {
        const [row] = (await change
          .trx('rollout')
          .insert({ firmware_id: image.id, by_whom: by, rule: JSON.stringify(wanted.rule), state: 'running' })
          .returning('id')) as { id: number }[];
        if (!row) throw new Error('a rollout was not written');
        await change.trx('rollout_node').insert(
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
        for (const entry of going) await stopOpen(change, entry);
        const rollout: Rollout = { rule: wanted.rule, state: 'running', nodes, why: '' };
        const begun: UnderWay = { id: row.id, image, by, madeAt: now, endedAt: null, facts, rollout };
        change.apply(() => this.underWay.set(row.id, begun));
        change.tell(() => this.tell(begun));
        return viewOf(begun);
      });
    });
  }

  /** Pauses it, goes on with it, or takes back what it has changed. Throws 409 where it is over. */
  set(id: number, wish: 'pause' | 'go-on' | 'roll-back', by: string): Promise<RolloutView> {
    return this.work(async () => {
      let held = this.underWay.get(id);
      if (!held) {
        const row = (await this.parts.store.database('rollout').where({ id }).first()) as RolloutRow | undefined;
        if (!row) throw notFound(`rollout ${id}`);
        // What is done can still be taken back.
        const ended = await this.read(row);
        if (!ended || wish !== 'roll-back' || row.state === 'rolled-back')
          throw new ProblemError(409, 'Over', `Rollout ${id} is over: begin another.`);
        held = ended;
      }
      const now = Date.now();
      if (wish === 'roll-back') {
        const step = rollBack({ ...held.rollout, why: `taken back by ${by}` }, now);
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
    const { store } = this.parts;
    return store.inTurn(LANE, async () => {
      const { unanswered } = store;
      // A commit got no answer: the database may know more than memory does. The engine has read the nodes anew by then, or does so first.
      if (this.answeredFor !== unanswered) {
        await this.parts.engine.upToDate();
        await this.load();
        this.answeredFor = unanswered;
      }
      return piece();
    });
  }

  private async read(row: RolloutRow): Promise<UnderWay | null> {
    const { store, registry, profiles } = this.parts;
    return readRollout({ database: store.database, registry, catalogue: await profiles.catalogue() }, row);
  }

  private async tick(now: number): Promise<void> {
    if (this.underWay.size === 0) return;
    const minute = minuteAt(await this.parts.timezone(), now);
    for (const held of [...this.underWay.values()]) {
      const sights = new Map([...held.facts].map(([name, fact]) => [name, sightOf(held, fact, now)]));
      const { rollout, orders } = stepRollout(held.rollout, held.image.sha256, sights, now, minute);
      await this.keep(held, rollout, orders);
    }
  }

  /** Keeps what a look has changed, with the orders to nodes and the lines of the ledger: one change. */
  private async keep(held: UnderWay, looked: Rollout, orders: { tell: readonly string[]; goBack: readonly string[] }): Promise<void> {
    const before = held.rollout;
    const nowhere = (node: RolloutNode): boolean => node.state === 'going-back' && held.facts.get(node.node)?.before === null;
    const next: Rollout = {
      ...looked,
      nodes: looked.nodes.map((node) =>
        nowhere(node)
          ? { ...node, state: 'failed', why: 'the image it ran before is not in the library: put it in, and roll that out' }
          : node,
      ),
    };
    const changed = next.nodes.filter((node, i) => node.state !== before.nodes[i]?.state);
    const stateChanged = next.state !== before.state || next.why !== before.why;
    if (changed.length + orders.tell.length + orders.goBack.length === 0 && !stateChanged) {
      // How far the fetching is: known again after a restart from what nodes tell.
      const progressed = next.nodes.some((node, i) => node.bytes !== before.nodes[i]?.bytes);
      held.rollout = next;
      if (progressed) this.tell(held);
      return;
    }
    const over = !ACTIVE.includes(next.state);
    const endedAt = over ? (stateChanged ? Date.now() : held.endedAt) : null;
    await this.parts.store.commit(async (change) => {
      change.apply(() => {
        Object.assign(held, { rollout: next, endedAt });
        if (over) this.underWay.delete(held.id);
        else this.underWay.set(held.id, held);
      });
      await this.order(change, held, orders);
      for (const node of changed) await this.keepNode(change, held, node, orders.goBack.includes(node.node));
      if (stateChanged)
        await change
          .trx('rollout')
          .where({ id: held.id })
          .update({ state: next.state, why: next.why, ended_at: endedAt === null ? null : new Date(endedAt) });
      if (over) await this.letGo(change, held, next.nodes);
      change.tell(() => this.tell(held));
    });
  }

  private async order(change: Change, held: UnderWay, orders: { tell: readonly string[]; goBack: readonly string[] }): Promise<void> {
    const begin = async (name: string, image: FirmwareRow, offerId: string): Promise<void> => {
      const fact = held.facts.get(name);
      if (!fact) return;
      const runId = await beginAir(change, fact.entry, image, held.by);
      // The ledger line of the node, below, belongs to the run that has just begun.
      await change.trx('rollout_node').where({ rollout_id: held.id, node_id: fact.entry.id }).update({ run_id: runId });
      change.apply(() => (fact.runId = runId));
      await this.parts.runs.view(change, runId, fact.entry);
      await this.offer(change, fact.entry, image.id, offerId);
    };
    for (const name of orders.tell) await begin(name, held.image, `${held.id}`);
    for (const name of orders.goBack) {
      const before = held.facts.get(name)?.before ?? null;
      if (before !== null) await begin(name, await imageFor(change.trx, null, before), `${held.id} back`);
    }
  }

  private async keepNode(change: Change, held: UnderWay, node: RolloutNode, goesBack: boolean): Promise<void> {
    const fact = held.facts.get(node.node);
    if (!fact) return;
    const { entry } = fact;
    if (node.state === 'watched') change.apply(() => (fact.from = { at: Date.now(), stored: entry.stored, hellos: entry.hellos }));
    if (['healthy', 'failed', 'back', 'left-out'].includes(node.state) && !goesBack) await this.offer(change, entry, null);
    const row = { rollout_id: held.id, node_id: entry.id };
    const [kept] = (await change
      .trx('rollout_node')
      .where(row)
      .update({ state: node.state, since: new Date(node.since), why: node.why })
      .returning('run_id')) as { run_id: number | null }[];
    const runId = kept?.run_id ?? null;
    if (runId !== null && (await airStep(change, runId, entry, node))) await this.parts.runs.view(change, runId, entry);
  }

  /** What had begun and is not known to have ended is let go: a halted rollout holds nobody. */
  private async letGo(change: Change, held: UnderWay, nodes: readonly RolloutNode[]): Promise<void> {
    for (const node of nodes) {
      const entry = held.facts.get(node.node)?.entry;
      if (entry && ['told', 'fetching', 'starting'].includes(node.state)) await this.offer(change, entry, null);
    }
  }

  /** Tells a node which image to run; `null`: the one it runs. */
  private async offer(change: Change, node: NodeEntry, firmware: string | null, id = ''): Promise<void> {
    if (node.offeredFirmware === firmware) return;
    const offer = firmware === null ? null : await this.offerOf(firmware, id);
    await changeNode(change, node, { offered_firmware: firmware }, { offeredFirmware: firmware, offer });
    await this.parts.nodes.tellSettings(change, node);
    tellNode(change, this.parts.hub, node);
  }

  /** What an offer went out under, after a restart. */
  private offerId(node: NodeEntry): string {
    const held = [...this.underWay.values()].find((one) => one.facts.has(node.name));
    return held ? `${held.id}${held.image.id === node.offeredFirmware ? '' : ' back'}` : 'again';
  }

  private async offerOf(firmware: string, id: string): Promise<Offer> {
    const row = await imageFor(this.parts.store.database, null, firmware);
    this.images.set(row.id, row);
    return { id, manifest: manifestOf(row), from: this.parts.imageAddress() };
  }

  private tell(held: UnderWay): void {
    this.parts.hub.publish([{ type: 'rollout', rollout: viewOf(held) }]);
  }
}
