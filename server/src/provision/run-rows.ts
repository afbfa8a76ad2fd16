import type { Run } from '@dewpost/contract';
import type { Database, Transaction } from '../database/connect';

/** Runs of one node that are looked through at once. */
const MOST_RUNS = 50;

export interface RunRow {
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

export type StepReport = Pick<Run['steps'][number], 'step' | 'state' | 'ms' | 'detail' | 'code'>;

/** Runs with their steps, newest first: the newest `limit`, or of these ids. */
export async function readRuns(database: Database | Transaction, limit = 200, ids?: readonly number[]): Promise<Run[]> {
  const query = database('provision_run as r')
    .join('node as n', 'n.id', 'r.node_id')
    .orderBy('r.id', 'desc')
    .limit(limit)
    .select('r.*', 'n.name as node');
  if (ids) void query.whereIn('r.id', ids);
  const rows = (await query) as RunRow[];
  const steps = (await database('provision_step')
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

/** Adds a step to a run: the ledger is append-only. */
export async function addStep(trx: Transaction, run: number, step: StepReport): Promise<void> {
  await trx('provision_step').insert({ run_id: run, ...step });
}

/** Ends a run that is under way; false where it has ended already. */
export async function endRun(trx: Transaction, run: number, result: 'proved' | 'stopped'): Promise<boolean> {
  const ended = await trx('provision_run').where({ id: run, result: 'running' }).update({ result, ended_at: new Date() });
  return ended > 0;
}

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
    first: null,
    steps: steps.map(({ step, state, at, ms, detail, code }) => ({ step, state, at: at.getTime(), ms, detail, code })),
  };
}

/** Runs under way of boards that are written, not told over the air. */
export async function runningIds(database: Database): Promise<number[]> {
  return (await database('provision_run').where({ result: 'running' }).whereNot({ way: 'air' }).pluck('id')) as number[];
}

/** A node's runs, newest first: those over the air since it was last written, and that one; all where none wrote it here. */
export async function idsSinceWritten(database: Database, node: number): Promise<number[]> {
  const rows = (await database('provision_run').where({ node_id: node }).orderBy('id', 'desc').limit(MOST_RUNS).select('id', 'way')) as {
    id: number;
    way: Run['way'];
  }[];
  const wrote = rows.findIndex((row) => row.way !== 'air');
  return rows.slice(0, wrote < 0 ? rows.length : wrote + 1).map((row) => row.id);
}
