import type { Firmware, provision, Run } from '@dewpost/contract';
import type { Catalogue } from '@dewpost/core/circuit';
import { configurationDigest } from '@dewpost/core/firmware';
import { CONTACT_SECONDS, firstPatienceSeconds } from '@dewpost/core/fit';
import { ROM_FAMILIES } from '@dewpost/core/rom-loader';
import type { DoneMessage, NodeConfiguration } from '@dewpost/core/wire';
import type { Logger } from 'pino';
import type * as z from 'zod';
import { digestOf, randomToken, type Vault } from '../vault/vault';
import type { Config } from '../config/config';
import type { Engine } from '../engine/engine';
import { notFound, ProblemError } from '../problem/problem';
import type { Hub } from '../events/hub';
import { draftOf } from '../model/drafts';
import { changeNode, laneOf, tellNode } from '../model/node-change';
import { writeNodeLog } from '../model/node-log';
import { nodeView } from '../model/views';
import type { NodeEntry, PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { Change, Store } from '../store/change';
import { stopOpen } from './air-runs';
import { chosenImages } from './batches';
import { configurationOf, withoutSecrets } from './configuration';
import { firmwareViews, firstImageFor, imageFor } from './firmware';
import { FirstReadings, measured, type FirstReading } from './first-readings';
import { OutputsOnly } from './outputs-only';
import { refuseFailing } from './preflight';
import { addStep, endRun, readRuns, type StepReport } from './run-rows';

const OVERDUE_LOOK_MS = 10_000;

/** How a board that holds nothing of ours is written, as the bench wants it. */
type Fresh = NonNullable<z.output<(typeof provision.begin)['reply']>['fresh']>;

/** The ledger of provision runs: every attempt to write and prove a node, append-only. */
export class Runs {
  constructor(
    private readonly parts: {
      store: Store;
      registry: Registry;
      engine: Engine;
      hub: Hub;
      log: Logger;
      vault: Vault;
      config: Config;
      profiles: { catalogue(): Promise<Catalogue> };
      mqttPort(): number;
    },
  ) {}

  async list(limit = 200, ids?: readonly number[]): Promise<Run[]> {
    return (await readRuns(this.parts.store.database, limit, ids)).map((run) => this.withFirst(run));
  }
  /** A run with what this process knows of its first readings. */
  private withFirst(run: Run): Run {
    const node = run.result === 'running' && run.way !== 'air' ? this.parts.registry.nodes.get(run.node) : undefined;
    return node ? { ...run, first: this.first.progress(node) } : run;
  }

  /** The newest run that wrote a node and those over the air since, newest first; all over the air where none wrote it here. */
  async ofNode(node: NodeEntry): Promise<Run[]> {
    const rows = (await this.parts.store
      .database('provision_run')
      .where({ node_id: node.id })
      .orderBy('id', 'desc')
      .limit(50)
      .select('id', 'way')) as {
      id: number;
      way: Run['way'];
    }[];
    const wrote = rows.findIndex((row) => row.way !== 'air');
    const ids = rows.slice(0, wrote < 0 ? rows.length : wrote + 1).map((row) => row.id);
    return ids.length === 0 ? [] : this.list(ids.length, ids);
  }

  /**
   * Begins a run: the node gets a new key (its old one goes on working until the new one is used; for a node that has
   * never made contact the sealed key is kept) and its configuration is made. The image is the one named, else the one chosen
   * for its batch, else the newest for its board. Throws 422 with what a look before writing would have refused.
   */
  async begin(
    node: NodeEntry,
    wanted: string | null,
    by: string,
  ): Promise<{ run: Run; firmware: Firmware; configuration: NodeConfiguration; fresh: Fresh | null }> {
    const { database } = this.parts.store;
    const board = (await draftOf(database, node))?.board ?? null;
    const chosen = wanted ?? (await chosenImages(database, node))[board ?? ''] ?? null;
    await refuseFailing({ ...this.parts, database }, node, () => chosen, false);
    const image = await imageFor(database, board, chosen);
    const { run, configuration } = await this.open(node, by, 'serial', { firmware: image.id, image_sha256: image.sha256 });
    const library = await firmwareViews(database, new Map());
    const firmware = library.find((one) => one.id === image.id);
    if (!firmware) throw new Error(`image ${image.id} was found and is gone`);
    return { run, firmware, configuration, fresh: await this.freshOf(board, library) };
  }

  /** How a board of this profile is written that holds nothing of ours; `null` where its profile knows no loader. */
  private async freshOf(board: string | null, library: readonly Firmware[]): Promise<Fresh | null> {
    const profile = board === null ? undefined : (await this.parts.profiles.catalogue()).boards.get(board);
    const family = ROM_FAMILIES.find((one) => one === profile?.firstWrite);
    if (!profile || !family) return null;
    const first = await firstImageFor(this.parts.store.database, profile.id);
    return { family, boot: profile.boot, flashBytes: profile.flashBytes, firmware: library.find(({ id }) => id === first?.id) ?? null };
  }

  /** A node is written by another tool chain: its run waits at Join for the node to come by itself. */
  async elsewhere(node: NodeEntry, by: string): Promise<Run> {
    await refuseFailing({ ...this.parts, database: this.parts.store.database }, node, () => null, true);
    const { run } = await this.open(node, by, 'elsewhere', { firmware: 'written elsewhere', image_sha256: null }, [
      { step: 'configure', state: 'done', ms: null, detail: 'configuration exported, written by another tool chain', code: null },
    ]);
    return run;
  }

  /** Begins a run: key, node and run are one change; what its outputs were asked for ends with an off. */
  private async open(
    node: NodeEntry,
    by: string,
    way: Run['way'],
    image: { firmware: string; image_sha256: string | null },
    steps: readonly StepReport[] = [],
  ): Promise<{ run: Run; configuration: NodeConfiguration }> {
    const { store, vault, registry, engine } = this.parts;
    return store.inTurn(laneOf(node), async () => {
      // Where only the digest of its key is left it gets a new one; the old one goes on working until the new one is used.
      const rotates = node.keySealed === null;
      const key = node.keySealed === null ? randomToken() : vault.open(node.keySealed);
      const configuration = await configurationOf({ ...this.parts, database: store.database }, node, key);
      const sealed = node.keySealed ?? vault.seal(key);
      const old = node.keyDigest;
      const run = await engine.release(node, `written by ${by}`, async (change) => {
        await stopOpen(change, node);
        await changeNode(
          change,
          node,
          {
            // It is told its key as it is written; what was proved in place counts no more.
            ...(rotates && { key_digest: digestOf(key), old_key_digest: old, key_sealed: sealed }),
            state: 'writing',
            key_rotates: false,
            fitted_at: null,
            unproved: [],
            fitted_by: null,
            written_at: new Date(),
          },
          { state: 'writing', keyRotates: false, fittedAt: null, unproved: new Set() },
        );
        if (rotates) change.apply(() => registry.rekey(node, { digest: digestOf(key), old, sealed }));
        change.apply(() => this.first.forget(node));
        const [row] = (await change
          .trx('provision_run')
          .insert({
            node_id: node.id,
            by_whom: by,
            way,
            ...image,
            configuration_sha256: configurationDigest(configuration),
            configuration: JSON.stringify(withoutSecrets(configuration)),
          })
          .returning('id')) as { id: number }[];
        if (!row) throw new Error('a run was not written');
        for (const step of steps) await addStep(change.trx, row.id, step);
        return this.view(change, row.id, node);
      });
      return { run, configuration };
    });
  }

  /** Records how a step went. A failed one ends the run and leaves the node stopped. */
  async step(id: number, report: StepReport, hardwareId?: string): Promise<Run> {
    const { store, registry } = this.parts;
    const [begun] = await this.list(1, [id]);
    if (!begun) throw notFound(`run ${id}`);
    const node = registry.nodes.get(begun.node);
    if (!node) throw notFound(`node ${begun.node}`);
    return store.commitInTurn(laneOf(node), async (change) => {
      const open = (await change.trx('provision_run').where({ id, result: 'running' }).forUpdate().first('id')) as
        { id: number } | undefined;
      if (!open) throw new ProblemError(409, 'Run ended', 'This run has ended: begin another.');
      if (hardwareId) {
        const other = [...registry.nodes.values()].find((n) => n.hardwareId === hardwareId && n !== node);
        if (other)
          throw new ProblemError(
            409,
            'Board known',
            `This board (${hardwareId}) is ${other.name}: plug in another, or write ${other.name} again.`,
          );
        await change.trx('provision_run').where({ id }).update({ hardware_id: hardwareId });
        await changeNode(change, node, { hardware_id: hardwareId }, { hardwareId });
      }
      await addStep(change.trx, id, report);
      if (report.state === 'failed') await this.stopRun(change, id, node);
      return this.view(change, id, node);
    });
  }

  /** A hello from a node that is being written is its first contact. */
  async contact(node: NodeEntry): Promise<void> {
    const { store } = this.parts;
    const made = await store.commitInTurn(laneOf(node), async (change) => {
      const row = (await change
        .trx('provision_run')
        .where({ node_id: node.id, result: 'running' })
        .whereNot({ way: 'air' })
        .forUpdate()
        .first('id')) as { id: number } | undefined;
      const [run] = row ? await readRuns(change.trx, 1, [row.id]) : [];
      if (!run || run.steps.some((step) => step.step === 'contact' && step.state === 'done')) return null;
      const ms = Date.now() - (run.steps.at(-1)?.at ?? run.startedAt);
      if (run.way === 'elsewhere') {
        await addStep(change.trx, run.id, { step: 'join', state: 'done', ms, detail: 'came by itself', code: null });
        if (node.hardwareId) await change.trx('provision_run').where({ id: run.id }).update({ hardware_id: node.hardwareId });
      }
      const detail = `${node.hello?.firmware ?? 'unknown firmware'}, ${node.hello?.rssiDbm ?? '–'} dBm`;
      await addStep(change.trx, run.id, { step: 'contact', state: 'done', ms, detail, code: null });
      change.apply(() => this.heardHere.add(run.id));
      await this.view(change, run.id, node);
      return run.id;
    });
    if (made !== null) await this.outputsOnly.ask(node, made);
  }

  /** A node of outputs only has no readings to be proved by: every output is told to go off and has to say that it is. */
  private readonly outputsOnly = new OutputsOnly({
    tell: async (outputs) => {
      const at = Date.now();
      await this.parts.engine.apply(outputs.map((output) => ({ kind: 'command', output, on: false, reason: 'stand-down', at })));
    },
    prove: (node, run, verdict) => this.proveBy(node, run, verdict),
  });
  readBack(node: NodeEntry, output: PointEntry, done: DoneMessage): Promise<void> {
    return this.outputsOnly.heard(node, output, done);
  }

  /** What proves a node other than readings has come to a verdict: the step, the end of the run and the node's state are one. */
  private async proveBy(node: NodeEntry, id: number, verdict: { passed: boolean; detail: string; code: string | null }): Promise<void> {
    await this.parts.store.commitInTurn(laneOf(node), async (change) => {
      const { passed, detail, code } = verdict;
      const state = passed ? 'proved' : 'stopped';
      if (!(await endRun(change.trx, id, state))) return;
      await addStep(change.trx, id, { step: 'readings', state: passed ? 'done' : 'failed', ms: null, detail, code });
      await changeNode(change, node, { state }, { state });
      await this.view(change, id, node);
    });
  }

  private readonly first = new FirstReadings({
    profiles: { catalogue: () => this.parts.profiles.catalogue() },
    told: (run, node) => {
      this.list(1, [run]).then(
        ([view]) => view && this.publish(view, node),
        (error: unknown) => this.parts.log.error({ err: error, run }, 'a run has changed, and nobody could be told'),
      );
    },
  });
  judgeFirst(change: Change, node: NodeEntry, readings: readonly FirstReading[]): Promise<boolean> {
    return this.first.judge(change, node, readings);
  }

  private timer: NodeJS.Timeout | null = null;
  /** Runs whose first contact this process has seen; of others, since when it looks at them: what they sent before a restart is not known. */
  private readonly heardHere = new Set<number>();
  private readonly lookedSince = new Map<number, number>();
  start(): void {
    this.timer = setInterval(() => {
      this.stopOverdue(Date.now()).catch((error: unknown) => this.parts.log.error({ err: error }, 'overdue runs could not be looked at'));
    }, OVERDUE_LOOK_MS);
  }
  stop(): void {
    if (this.timer) clearInterval(this.timer);
  }

  /** Stops runs whose node has joined and says nothing, or sends no values of a sensor: nothing waits for ever. */
  async stopOverdue(now: number): Promise<void> {
    const { registry, store } = this.parts;
    const open = (await store.database('provision_run').where({ result: 'running' }).whereNot({ way: 'air' }).select('id')) as {
      id: number;
    }[];
    // What is over needs no remembering.
    const ids = new Set(open.map(({ id }) => id));
    for (const id of [...this.lookedSince.keys(), ...this.heardHere])
      if (!ids.has(id)) {
        this.lookedSince.delete(id);
        this.heardHere.delete(id);
      }
    if (open.length === 0) return;
    for (const run of await this.list(open.length, [...ids])) {
      const node = registry.nodes.get(run.node);
      const [joined, contact] = (['join', 'contact'] as const).map((name) =>
        run.steps.find((step) => step.step === name && step.state === 'done'),
      );
      if (!node) continue;
      if (!this.lookedSince.has(run.id)) {
        this.lookedSince.set(run.id, now);
        // What a node of outputs only has answered before a restart is not known: it is asked anew.
        if (contact && !this.heardHere.has(run.id)) await this.outputsOnly.ask(node, run.id);
      }
      const since = this.heardHere.has(run.id) ? 0 : (this.lookedSince.get(run.id) ?? now);
      if (contact && now - Math.max(contact.at, since) > firstPatienceSeconds(node.reportSeconds) * 1000) {
        const missing = [...this.first.missing(node), ...this.outputsOnly.missing(node)];
        const detail = `${missing.map((one) => `${one.point}: ${one.text}`).join('; ')} after ${Math.round((now - contact.at) / 1000)} s`;
        await this.giveUp(run.id, node, {
          step: 'readings',
          code: measured(node).length === 0 ? 'no-read-back' : 'no-readings',
          detail: detail.slice(0, 500),
        });
      } else if (joined && !contact && now - joined.at > CONTACT_SECONDS * 1000)
        await this.giveUp(run.id, node, { step: 'contact', code: 'no-contact', detail: `joined, and no hello in ${CONTACT_SECONDS} s` });
    }
  }

  private async giveUp(id: number, node: NodeEntry, why: Pick<StepReport, 'step' | 'code' | 'detail'>): Promise<void> {
    // The cause and the end are one: a ledger that says "stopped" says why. What came just now has ended it already.
    await this.parts.store.commitInTurn(laneOf(node), async (change) => {
      if (!(await this.stopRun(change, id, node))) return;
      await addStep(change.trx, id, { ...why, state: 'failed', ms: null });
      change.apply(() => this.first.forget(node));
      await this.view(change, id, node);
    });
  }

  /** A step beside the bench (label, fit), appended to the newest run that wrote the node; nodes that were never written here have none. */
  async besideBench(change: Change, node: NodeEntry, step: 'label' | 'fit', detail: string): Promise<void> {
    const row = (await change
      .trx('provision_run')
      .where({ node_id: node.id })
      .whereNot({ way: 'air' })
      .orderBy('id', 'desc')
      .first('id')) as { id: number } | undefined;
    if (!row) return;
    await addStep(change.trx, row.id, { step, state: 'done', ms: null, detail, code: null });
    await this.view(change, row.id, node);
  }

  /** Takes the board off a node: the node waits at the bench for another, with all that was kept of it. */
  async retireBoard(node: NodeEntry, by: string): Promise<void> {
    const { store, engine, hub } = this.parts;
    await store.inTurn(laneOf(node), () =>
      engine.release(node, `its board was retired by ${by}`, async (change) => {
        await stopOpen(change, node);
        await changeNode(
          change,
          node,
          { state: 'planned', hardware_id: null, hello: null, fitted_at: null, fitted_by: null, unproved: [], written_at: new Date() },
          { state: 'planned', hardwareId: null, hello: null, fittedAt: null, unproved: new Set() },
        );
        await writeNodeLog(change.trx, [
          { node, level: 'info', text: `its board ${node.hardwareId ?? ''} was retired by ${by}: write another one as this node` },
        ]);
        tellNode(change, hub, node);
      }),
    );
  }

  private async stopRun(change: Change, id: number, node: NodeEntry): Promise<boolean> {
    if (!(await endRun(change.trx, id, 'stopped'))) return false;
    await changeNode(change, node, { state: 'stopped' }, { state: 'stopped' });
    return true;
  }

  /** A run as this change leaves it, told after the commit. */
  async view(change: Change, id: number, node: NodeEntry): Promise<Run> {
    const [run] = await readRuns(change.trx, 1, [id]);
    if (!run) throw notFound(`run ${id}`);
    change.tell(() => this.publish(run, node));
    return run;
  }

  private publish(run: Run, node: NodeEntry): void {
    this.parts.hub.publish([
      { type: 'run', run: this.withFirst(run) },
      { type: 'node', node: nodeView(node) },
    ]);
  }
}
