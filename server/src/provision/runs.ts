import type { Firmware, Run } from '@dewpost/contract';
import { configurationDigest } from '@dewpost/core/firmware';
import type { Catalogue } from '@dewpost/core/circuit';
import {
  CONTACT_SECONDS,
  FIRST_KEPT,
  firstPatienceSeconds,
  judgeFirstReadings,
  judgeFirstSupply,
  leastSupplyVolts,
} from '@dewpost/core/fit';
import type { RolloutNode } from '@dewpost/core/update';
import type { NodeConfiguration } from '@dewpost/core/wire';
import type { Logger } from 'pino';
import { digestOf, randomToken, type Vault } from '../access/vault';
import type { Config } from '../config';
import type { Database, Transaction } from '../database/connect';
import { notFound, ProblemError } from '../http/problem';
import type { Hub } from '../live/hub';
import { writeNodeLog } from '../site/node-log';
import { nodeView, type NodeEntry, type Registry } from '../site/registry';
import { draftOf } from '../site/drafts';
import { chosenImages } from './batches';
import { configurationOf, withoutSecrets } from './configuration';
import { firmwareViews, imageFor, type FirmwareRow } from './firmware';
import { refuseFailing } from './preflight';

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
  way: Run['way'];
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

const OVERDUE_LOOK_MS = 10_000;

/** A reading as it is judged at the start. */
export interface FirstReading {
  readonly point: { readonly name: string };
  readonly value: number;
  readonly quality: string;
}

export type StepReport = Pick<Run['steps'][number], 'step' | 'state' | 'ms' | 'detail' | 'code'>;

/** The ledger of provision runs: every attempt to write and prove a node, append-only. */
export class Runs {
  constructor(
    private readonly parts: {
      database: Database;
      registry: Registry;
      hub: Hub;
      log: Logger;
      vault: Vault;
      config: Config;
      profiles: { catalogue(): Promise<Catalogue> };
      mqttPort(): number;
    },
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

  /** The newest run that wrote a node and those over the air since, newest first; all over the air where none wrote it here. */
  async ofNode(node: NodeEntry): Promise<Run[]> {
    const rows = (await this.parts
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
  ): Promise<{ run: Run; firmware: Firmware; configuration: NodeConfiguration }> {
    const { database } = this.parts;
    const board = (await draftOf(database, node))?.board ?? null;
    const chosen = wanted ?? (await chosenImages(database, node))[board ?? ''] ?? null;
    await refuseFailing(this.parts, node, () => chosen, false);
    const image = await imageFor(database, board, chosen);
    const { run, configuration } = await this.open(node, by, 'serial', { firmware: image.id, image_sha256: image.sha256 });
    const [firmware] = (await firmwareViews(database, new Map())).filter((one) => one.id === image.id);
    if (!firmware) throw new Error(`image ${image.id} was found and is gone`);
    return { run, firmware, configuration };
  }

  /** A node is written by another tool chain: its run waits at Join for the node to come by itself. */
  async elsewhere(node: NodeEntry, by: string): Promise<Run> {
    await refuseFailing(this.parts, node, () => null, true);
    const { run } = await this.open(node, by, 'elsewhere', { firmware: 'written elsewhere', image_sha256: null });
    await this.append(run.id, {
      step: 'configure',
      state: 'done',
      ms: null,
      detail: 'configuration exported, written by another tool chain',
      code: null,
    });
    return this.told(run.id, node);
  }

  private async open(
    node: NodeEntry,
    by: string,
    way: Run['way'],
    image: { firmware: string; image_sha256: string | null },
  ): Promise<{ run: Run; configuration: NodeConfiguration }> {
    const { database, vault, registry } = this.parts;
    // Where only the digest of its key is left it gets a new one; the old one goes on working until the new one is used.
    const rotates = node.keySealed === null;
    const key = node.keySealed === null ? randomToken() : vault.open(node.keySealed);
    const configuration = await configurationOf(this.parts, node, key);
    const sealed = node.keySealed ?? vault.seal(key);
    await database.transaction(async (trx) => {
      await trx('provision_run').where({ node_id: node.id, result: 'running' }).update({ result: 'stopped', ended_at: new Date() });
      if (rotates) {
        await trx('node')
          .where({ id: node.id })
          .update({ key_digest: digestOf(key), old_key_digest: node.keyDigest, key_sealed: sealed });
      }
      // It is told its key as it is written; what was proved in place counts no more.
      await trx('node')
        .where({ id: node.id })
        .update({ state: 'writing', key_rotates: false, fitted_at: null, fitted_by: null, written_at: new Date() });
    });
    if (rotates) registry.rekey(node, { digest: digestOf(key), old: node.keyDigest, sealed });
    node.state = 'writing';
    node.keyRotates = false;
    node.fittedAt = null;
    this.first.delete(node);
    const [row] = (await database('provision_run')
      .insert({
        node_id: node.id,
        by_whom: by,
        way,
        ...image,
        configuration_sha256: configurationDigest(configuration),
        configuration: JSON.stringify(withoutSecrets(configuration)),
      })
      .returning('*')) as RunRow[];
    if (!row) throw new Error('a run was not written');
    const run = runView({ ...row, node: node.name }, []);
    this.tell(run, node);
    return { run, configuration };
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
    this.heardHere.add(run.id);
    if (run.way === 'elsewhere') {
      await this.append(run.id, { step: 'join', state: 'done', ms: Date.now() - lastAt(run), detail: 'came by itself', code: null });
      if (node.hardwareId) await this.parts.database('provision_run').where({ id: run.id }).update({ hardware_id: node.hardwareId });
    }
    const detail = `${node.hello?.firmware ?? 'unknown firmware'}, ${node.hello?.rssiDbm ?? '–'} dBm`;
    await this.parts
      .database('provision_step')
      .insert({ run_id: run.id, step: 'contact', state: 'done', ms: Date.now() - lastAt(run), detail, code: null });
    await this.told(run.id, node);
  }

  /** Values of nodes that are being proved, by point. */
  private readonly first = new Map<NodeEntry, Map<string, number[]>>();

  /**
   * The first readings of a node that is not proved yet; within intake's transaction. One that is on the bench is judged point
   * by point and stops where one is wrong; one that never came to the bench is taken by its first good reading.
   */
  async judgeFirst(trx: Transaction, node: NodeEntry, readings: readonly FirstReading[]): Promise<boolean> {
    if (node.state === 'stopped') return false;
    const run = (await trx('provision_run').where({ node_id: node.id, result: 'running' }).whereNot({ way: 'air' }).first('id')) as
      { id: number } | undefined;
    if (!run) {
      if (!readings.some((reading) => reading.quality === 'good')) return false;
      await trx('node').where({ id: node.id }).update({ state: 'proved' });
      return true;
    }
    const values = this.first.get(node) ?? new Map<string, number[]>();
    this.first.set(node, values);
    for (const { point, value } of readings) values.set(point.name, [...(values.get(point.name) ?? []), value].slice(-FIRST_KEPT));
    const points = [...node.points.values()].map((point) => point.body).filter((body) => body.kind === 'measured');
    const { verdict, points: judged } = judgeFirstReadings(points, values, node.reportSeconds);
    if (verdict === 'more') return false;
    const least = leastSupplyVolts(await draftOf(trx, node), await this.parts.profiles.catalogue());
    const supply = judgeFirstSupply(node.hello?.batteryVolts ?? null, least);
    if (supply) judged.push(supply);
    this.first.delete(node);
    const of = (kind: string): string =>
      judged
        .filter((one) => one.verdict === kind)
        .map((one) => `${one.point} ${one.text}`)
        .join('; ');
    const wrong = judged.find((one) => one.verdict === 'fail');
    const detail = (wrong ? of('fail') : [of('note'), of('pass')].filter(Boolean).join('; ')).slice(0, 500);
    const state = wrong ? 'failed' : 'done';
    await trx('provision_step').insert({ run_id: run.id, step: 'readings', state, ms: null, detail, code: wrong?.code ?? null });
    if (wrong) await this.end(trx, run.id, node, 'stopped');
    else {
      await trx('node').where({ id: node.id }).update({ state: 'proved' });
      await trx('provision_run').where({ id: run.id }).update({ result: 'proved', ended_at: new Date() });
    }
    // Told after the commit; the run is read anew then.
    void trx.executionPromise.then(() => this.told(run.id, node)).catch(() => undefined);
    return !wrong;
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
    const { database, registry } = this.parts;
    const open = (await database('provision_run').where({ result: 'running' }).whereNot({ way: 'air' }).select('id')) as { id: number }[];
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
      if (!this.lookedSince.has(run.id)) this.lookedSince.set(run.id, now);
      const since = this.heardHere.has(run.id) ? 0 : (this.lookedSince.get(run.id) ?? now);
      if (contact && now - Math.max(contact.at, since) > firstPatienceSeconds(node.reportSeconds) * 1000) {
        const values = this.first.get(node) ?? new Map<string, number[]>();
        const points = [...node.points.values()].map((point) => point.body).filter((body) => body.kind === 'measured');
        const missing = judgeFirstReadings(points, values, node.reportSeconds).points.filter((one) => one.verdict === 'more');
        const detail = `${missing.map((one) => `${one.point}: ${one.text}`).join('; ')} after ${Math.round((now - contact.at) / 1000)} s`;
        await this.giveUp(run, node, { step: 'readings', code: 'no-readings', detail: detail.slice(0, 500) });
      } else if (joined && !contact && now - joined.at > CONTACT_SECONDS * 1000)
        await this.giveUp(run, node, { step: 'contact', code: 'no-contact', detail: `joined, and no hello in ${CONTACT_SECONDS} s` });
    }
  }

  private async giveUp(run: Run, node: NodeEntry, why: Pick<StepReport, 'step' | 'code' | 'detail'>): Promise<void> {
    // The cause and the end are one: a ledger that says "stopped" says why.
    const ended = await this.parts.database.transaction(async (trx) => {
      const open = (await trx('provision_run').where({ id: run.id, result: 'running' }).forUpdate().first('id')) as
        { id: number } | undefined;
      // What came just now has ended it already.
      if (!open) return false;
      await trx('provision_step').insert({ run_id: run.id, ...why, state: 'failed', ms: null });
      await this.end(trx, run.id, node, 'stopped');
      return true;
    });
    if (!ended) return;
    this.first.delete(node);
    await this.told(run.id, node);
  }

  /** A step beside the bench (label, fit), appended to the newest run that wrote the node; nodes that were never written here have none. */
  async besideBench(node: NodeEntry, step: 'label' | 'fit', detail: string): Promise<void> {
    const row = (await this.parts
      .database('provision_run')
      .where({ node_id: node.id })
      .whereNot({ way: 'air' })
      .orderBy('id', 'desc')
      .first('id')) as { id: number } | undefined;
    if (!row) return;
    await this.append(row.id, { step, state: 'done', ms: null, detail, code: null });
    await this.told(row.id, node);
  }

  /** Takes the board off a node: the node waits at the bench for another, with all that was kept of it. */
  async retireBoard(node: NodeEntry, by: string): Promise<void> {
    const { database } = this.parts;
    await this.stopOpen(node);
    await database('node')
      .where({ id: node.id })
      .update({ state: 'planned', hardware_id: null, hello: null, fitted_at: null, fitted_by: null, written_at: new Date() });
    const before = node.hardwareId;
    Object.assign(node, { state: 'planned', hardwareId: null, hello: null, fittedAt: null });
    await writeNodeLog(database, [
      { node, level: 'info', text: `its board ${before ?? ''} was retired by ${by}: write another one as this node` },
    ]);
    this.parts.hub.publish([{ type: 'node', node: nodeView(node) }]);
  }

  /** Ends what is open of a node: another way of writing it begins. */
  async stopOpen(node: NodeEntry): Promise<void> {
    await this.parts
      .database('provision_run')
      .where({ node_id: node.id, result: 'running' })
      .update({ result: 'stopped', ended_at: new Date() });
  }

  /** A run over the air: the node has been told of an image. */
  async beginAir(node: NodeEntry, image: FirmwareRow, by: string): Promise<number> {
    await this.stopOpen(node);
    const [row] = (await this.parts
      .database('provision_run')
      .insert({ node_id: node.id, by_whom: by, firmware: image.id, image_sha256: image.sha256, hardware_id: node.hardwareId, way: 'air' })
      .returning('id')) as { id: number }[];
    if (!row) throw new Error('a run was not written');
    await this.append(row.id, { step: 'tell', state: 'done', ms: null, detail: `told to run ${image.name} ${image.version}`, code: null });
    await this.told(row.id, node);
    return row.id;
  }

  /** What became of a run over the air, as the rollout saw it. */
  async airStep(id: number, node: NodeEntry, seen: Pick<RolloutNode, 'state' | 'why'>): Promise<void> {
    const steps: Partial<Record<RolloutNode['state'], [step: Run['steps'][number]['step'], detail: string]>> = {
      starting: ['fetch', `${node.update?.safe ? `${node.update.safe}; ` : ''}image whole, digest and signature hold`],
      watched: ['start', 'runs it from its spare slot'],
      healthy: ['watch', 'back, its readings at their usual rate, no resets, supply fine'],
      back: ['start', 'runs the image before again'],
    };
    const [run] = await this.list(1, [id]);
    if (!run || run.result !== 'running') return;
    const last = run.steps.at(-1);
    const ms = last ? Date.now() - last.at : null;
    const done = steps[seen.state];
    // A quick one is seen on the new image before it was seen fetching it.
    if (seen.state === 'watched' && !run.steps.some((step) => step.step === 'fetch') && steps.starting)
      await this.append(id, { step: 'fetch', state: 'done', ms, detail: steps.starting[1], code: null });
    if (done) await this.append(id, { step: done[0], state: 'done', ms, detail: done[1], code: null });
    if (seen.state === 'failed') {
      const at = last?.step === 'tell' ? 'fetch' : last?.step === 'fetch' ? 'start' : 'watch';
      await this.append(id, { step: at, state: 'failed', ms, detail: seen.why, code: 'air' });
    }
    if (seen.state === 'left-out') await this.append(id, { step: 'tell', state: 'failed', ms, detail: seen.why, code: 'air' });
    const result =
      seen.state === 'healthy' || seen.state === 'back'
        ? 'proved'
        : seen.state === 'failed' || seen.state === 'left-out'
          ? 'stopped'
          : null;
    if (result) await this.parts.database('provision_run').where({ id }).update({ result, ended_at: new Date() });
    if (done || result) await this.told(id, node);
  }

  private async append(id: number, step: StepReport): Promise<void> {
    await this.parts.database('provision_step').insert({ run_id: id, ...step });
  }

  private async running(node: NodeEntry): Promise<Run | undefined> {
    const row = (await this.parts
      .database('provision_run')
      .where({ node_id: node.id, result: 'running' })
      .whereNot({ way: 'air' })
      .first('id')) as { id: number } | undefined;
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
    way: row.way,
    steps: steps.map(({ step, state, at, ms, detail, code }) => ({ step, state, at: at.getTime(), ms, detail, code })),
  };
}
