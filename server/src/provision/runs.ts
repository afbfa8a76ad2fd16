import type { Firmware, Run } from '@dewpost/contract';
import { configurationDigest } from '@dewpost/core/firmware';
import type { NodeConfiguration } from '@dewpost/core/wire';
import { digestOf, randomToken, type Vault } from '../access/vault';
import type { Config } from '../config';
import type { Database, Transaction } from '../database/connect';
import { notFound, ProblemError } from '../http/problem';
import type { Hub } from '../live/hub';
import { nodeView, type NodeEntry, type Registry } from '../site/registry';
import { boardOf, configurationOf, withoutSecrets } from './configuration';
import { firmwareViews, imageFor } from './firmware';

interface RunRow {
  id: number;
  node: string;
  by_whom: string;
  firmware: string;
  image_sha256: string | null;
  configuration_sha256: string | null;
  started_at: Date;
  ended_at: Date | null;
  result: Run['result'];
  hardware_id: string | null;
}
interface StepRow {
  run_id: number;
  step: Run['steps'][number]['step'];
  state: Run['steps'][number]['state'];
  at: Date;
  ms: number | null;
  detail: string;
  code: string | null;
}

export type StepReport = Pick<Run['steps'][number], 'step' | 'state' | 'ms' | 'detail' | 'code'>;

/** The ledger of provision runs: every attempt to write and prove a node, append-only. */
export class Runs {
  constructor(
    private readonly parts: { database: Database; registry: Registry; hub: Hub; vault: Vault; config: Config; mqttPort(): number },
  ) {}

  async list(limit = 200, ids?: readonly number[]): Promise<Run[]> {
    const query = this.parts
      .database('provision_run as r')
      .join('node as n', 'n.id', 'r.node_id')
      .orderBy('r.id', 'desc')
      .limit(limit)
      .select('r.*', 'n.name as node');
    if (ids) void query.whereIn('r.id', ids);
    const rows = (await query) as RunRow[];
    const steps = (await this.parts
      .database('provision_step')
      .whereIn(
        'run_id',
        rows.map((row) => row.id),
      )
      .orderBy('id')) as StepRow[];
    return rows.map((row) =>
      runView(
        row,
        steps.filter((step) => step.run_id === row.id),
      ),
    );
  }

  /**
   * Begins a run: the node gets a new key (its old one goes on working until the new one is used; for a node that has
   * never made contact the sealed key is kept) and its configuration is made.
   */
  async begin(
    node: NodeEntry,
    wanted: string | null,
    by: string,
  ): Promise<{ run: Run; firmware: Firmware; configuration: NodeConfiguration }> {
    const { database, vault, registry } = this.parts;
    const image = await imageFor(database, await boardOf(database, node), wanted);
    // Where only the digest of its key is left it gets a new one; the old one goes on working until the new one is used.
    const rotates = node.keySealed === null;
    const key = node.keySealed === null ? randomToken() : vault.open(node.keySealed);
    const configuration = await configurationOf(this.parts, node, key);
    let entry = node;
    await database.transaction(async (trx) => {
      await trx('provision_run').where({ node_id: node.id, result: 'running' }).update({ result: 'stopped', ended_at: new Date() });
      if (rotates) {
        await trx('node')
          .where({ id: node.id })
          .update({ key_digest: digestOf(key), old_key_digest: node.keyDigest, key_sealed: vault.seal(key) });
      }
      await trx('node').where({ id: node.id }).update({ state: 'writing' });
    });
    if (rotates) {
      [entry = node] = await registry.loadNodes(database, [node.name]);
    }
    entry.state = 'writing';
    const [row] = (await database('provision_run')
      .insert({
        node_id: node.id,
        by_whom: by,
        firmware: image.id,
        image_sha256: image.sha256,
        configuration_sha256: configurationDigest(configuration),
        configuration: JSON.stringify(withoutSecrets(configuration)),
      })
      .returning('*')) as RunRow[];
    if (!row) throw new Error('a run was not written');
    const run = runView({ ...row, node: node.name }, []);
    this.tell(run, entry);
    const [firmware] = (await firmwareViews(database, new Map())).filter((one) => one.id === image.id);
    if (!firmware) throw new Error(`image ${image.id} was found and is gone`);
    return { run, firmware, configuration };
  }

  /** Records how a step went. A failed one ends the run and leaves the node stopped. */
  async step(id: number, report: StepReport, hardwareId?: string): Promise<Run> {
    const { database, registry } = this.parts;
    const [before] = await this.list(1, [id]);
    if (!before) throw notFound(`run ${id}`);
    const node = registry.nodes.get(before.node);
    if (!node) throw notFound(`node ${before.node}`);
    if (before.result !== 'running') throw new ProblemError(409, 'Run ended', 'This run has ended: begin another.');
    if (hardwareId) {
      const other = [...registry.nodes.values()].find((n) => n.hardwareId === hardwareId && n !== node);
      if (other)
        throw new ProblemError(
          409,
          'Board known',
          `This board (${hardwareId}) is ${other.name}: plug in another, or write ${other.name} again.`,
        );
      await database('provision_run').where({ id }).update({ hardware_id: hardwareId });
      await database('node').where({ id: node.id }).update({ hardware_id: hardwareId });
      node.hardwareId = hardwareId;
    }
    await database('provision_step').insert({ run_id: id, ...report });
    if (report.state === 'failed') await this.end(database, id, node, 'stopped');
    return this.told(id, node);
  }

  /** A hello from a node that is being written is its first contact. */
  async contact(node: NodeEntry): Promise<void> {
    const run = await this.running(node);
    if (!run) return;
    const passed = run.steps.some((step) => step.step === 'contact' && step.state === 'done');
    if (passed) return;
    const detail = `${node.hello?.firmware ?? 'unknown firmware'}, ${node.hello?.rssiDbm ?? '–'} dBm`;
    await this.parts
      .database('provision_step')
      .insert({ run_id: run.id, step: 'contact', state: 'done', ms: Date.now() - lastAt(run), detail, code: null });
    await this.told(run.id, node);
  }

  /** Its first good readings prove a node; within intake's transaction. */
  async proved(trx: Transaction, node: NodeEntry): Promise<void> {
    await trx('node').where({ id: node.id }).update({ state: 'proved' });
    const run = (await trx('provision_run').where({ node_id: node.id, result: 'running' }).first('id')) as { id: number } | undefined;
    if (!run) return;
    await trx('provision_step').insert({
      run_id: run.id,
      step: 'readings',
      state: 'done',
      ms: null,
      detail: 'every value in range',
      code: null,
    });
    await trx('provision_run').where({ id: run.id }).update({ result: 'proved', ended_at: new Date() });
    // Told after the commit; the run is read anew then.
    void trx.executionPromise.then(() => this.told(run.id, node)).catch(() => undefined);
  }

  private async running(node: NodeEntry): Promise<Run | undefined> {
    const row = (await this.parts.database('provision_run').where({ node_id: node.id, result: 'running' }).first('id')) as
      { id: number } | undefined;
    return row ? (await this.list(1, [row.id]))[0] : undefined;
  }

  private async end(database: Database | Transaction, id: number, node: NodeEntry, result: 'stopped'): Promise<void> {
    await database('provision_run').where({ id }).update({ result, ended_at: new Date() });
    await database('node').where({ id: node.id }).update({ state: 'stopped' });
    node.state = 'stopped';
  }

  private async told(id: number, node: NodeEntry): Promise<Run> {
    const [run] = await this.list(1, [id]);
    if (!run) throw notFound(`run ${id}`);
    this.tell(run, node);
    return run;
  }

  private tell(run: Run, node: NodeEntry): void {
    this.parts.hub.publish([
      { type: 'run', run },
      { type: 'node', node: nodeView(node) },
    ]);
  }
}

const lastAt = (run: Run): number => run.steps.at(-1)?.at ?? run.startedAt;

function runView(row: RunRow, steps: readonly StepRow[]): Run {
  return {
    id: row.id,
    node: row.node,
    by: row.by_whom,
    startedAt: row.started_at.getTime(),
    endedAt: row.ended_at?.getTime() ?? null,
    result: row.result,
    firmware: row.firmware,
    imageSha256: row.image_sha256,
    configurationSha256: row.configuration_sha256,
    hardwareId: row.hardware_id,
    steps: steps.map(({ step, state, at, ms, detail, code }) => ({ step, state, at: at.getTime(), ms, detail, code })),
  };
}
