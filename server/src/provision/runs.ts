import type { Firmware, Run } from '@dewpost/contract';
import type { Catalogue } from '@dewpost/core/circuit';
import { configurationDigest } from '@dewpost/core/firmware';
import type { DoneMessage, NodeConfiguration } from '@dewpost/core/wire';
import type { Logger } from 'pino';
import { digestOf, randomToken, type Vault } from '../vault/vault';
import type { Config } from '../config/config';
import type { Engine } from '../engine/engine';
import { notFound, ProblemError } from '../problem/problem';
import type { Hub } from '../events/hub';
import { draftOf } from '../model/drafts';
import { changeNode, laneOf } from '../model/node-change';
import { nodeView } from '../model/views';
import type { NodeEntry, PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { Change, Store } from '../store/change';
import { stopOpen } from './air-runs';
import { chosenImages } from './batches';
import { configurationOf, withoutSecrets } from './configuration';
import { firmwareViews, imageFor } from './firmware';
import { FirstReadings, type FirstReading } from './first-readings';
import { OutputsOnly } from './outputs-only';
import { refuseFailing } from './preflight';
import { addStep, endRun, idsSinceWritten, readRuns, runningIds, type StepReport } from './run-rows';
import { type FreshWrite, freshOf } from './fresh-write';
import { OverdueRuns } from './overdue-runs';

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
    return this.ofIds(await idsSinceWritten(this.parts.store.database, node.id));
  }

  private async ofIds(ids: readonly number[]): Promise<Run[]> {
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
  ): Promise<{ run: Run; firmware: Firmware; configuration: NodeConfiguration; fresh: FreshWrite | null }> {
    const { database } = this.parts.store;
    const board = (await draftOf(database, node))?.board ?? null;
    const chosen = wanted ?? (await chosenImages(database, node))[board ?? ''] ?? null;
    await refuseFailing({ ...this.parts, database }, node, () => chosen, false);
    const image = await imageFor(database, board, chosen);
    const { run, configuration } = await this.open(node, by, 'serial', { firmware: image.id, image_sha256: image.sha256 });
    const library = await firmwareViews(database, new Map());
    const firmware = library.find((one) => one.id === image.id);
    if (!firmware) throw new Error(`image ${image.id} was found and is gone`);
    return { run, firmware, configuration, fresh: await freshOf(database, await this.parts.profiles.catalogue(), board, library) };
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
      change.apply(() => this.overdue.heard(run.id));
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

  /** Stops what has joined and says nothing, once started. */
  readonly overdue = new OverdueRuns({
    registry: () => this.parts.registry,
    running: async () => this.ofIds(await runningIds(this.parts.store.database)),
    log: () => this.parts.log,
    missing: (node) => [...this.first.missing(node), ...this.outputsOnly.missing(node)],
    askAnew: (node, run) => this.outputsOnly.ask(node, run),
    giveUp: (run, node, why) => this.giveUp(run, node, why),
  });

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
