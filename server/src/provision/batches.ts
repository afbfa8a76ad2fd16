import type { Batch } from '@dewpost/contract';
import type { Database, Transaction } from '../database/connect';
import { notFound, ProblemError } from '../problem/problem';
import type { NodeEntry } from '../model/entries';
import { imageFor } from './firmware';

const HOLD_MS = 20_000;

interface BatchRow {
  id: number;
  by_whom: string;
  made_at: Date;
  state: Batch['state'];
  holder: string;
  held_until: Date;
  /** Images by board. */
  firmware: Record<string, string>;
}

/** Batches with their nodes, newest first. How far a node is comes from its newest run since the batch began. */
export async function listBatches(database: Database | Transaction, ids?: readonly number[]): Promise<Batch[]> {
  const query = database('provision_batch').orderBy('id', 'desc').limit(20).select('*');
  if (ids) void query.whereIn('id', ids);
  const rows = (await query) as BatchRow[];
  const members = (await database('provision_batch_node as m')
    .join('node as n', 'n.id', 'm.node_id')
    .join('provision_batch as b', 'b.id', 'm.batch_id')
    .leftJoin('node as g', 'g.id', 'n.gateway_id')
    .whereIn(
      'm.batch_id',
      rows.map((row) => row.id),
    )
    .orderBy(['m.batch_id', 'm.place'])
    .select(
      'm.batch_id',
      'n.name',
      'g.name as gateway',
      database.raw(
        '(select r.result from provision_run r where r.node_id = n.id and r.started_at >= b.made_at order by r.id desc limit 1) as result',
      ),
    )) as { batch_id: number; name: string; gateway: string | null; result: 'running' | 'proved' | 'stopped' | null }[];
  return rows.map((row) => ({
    id: row.id,
    by: row.by_whom,
    madeAt: row.made_at.getTime(),
    state: row.state,
    heldUntil: row.held_until.getTime(),
    firmware: row.firmware,
    nodes: members
      .filter((one) => one.batch_id === row.id)
      .map(({ name, gateway, result }) => ({ node: name, gateway, result: result ?? 'waiting' })),
  }));
}

/**
 * Begins a batch held by this page. Batches of the same page and those that nobody holds any more give their nodes up; throws
 * 409 where another page is at one of them. `firmware` names the image for each board; a board left out gets its newest.
 */
export async function beginBatch(
  database: Database,
  nodes: readonly NodeEntry[],
  holder: string,
  by: string,
  firmware: Readonly<Record<string, string>> = {},
): Promise<Batch> {
  // Refused now, not at the first node.
  for (const [board, id] of Object.entries(firmware)) await imageFor(database, board, id);
  const id = await database.transaction(async (trx) => {
    await trx.raw("select pg_advisory_xact_lock(hashtext('provision batches'))");
    const others = (await trx('provision_batch as b')
      .join('provision_batch_node as m', 'm.batch_id', 'b.id')
      .join('node as n', 'n.id', 'm.node_id')
      .whereIn('b.state', ['running', 'paused'])
      .whereIn(
        'm.node_id',
        nodes.map((node) => node.id),
      )
      .select('b.id', 'b.by_whom', 'b.holder', 'b.held_until', 'n.name')) as (Pick<BatchRow, 'id' | 'by_whom' | 'holder' | 'held_until'> & {
      name: string;
    })[];
    const busy = others.find((one) => one.holder !== holder && one.held_until.getTime() > Date.now());
    if (busy)
      throw new ProblemError(
        409,
        'Being written',
        `${busy.name} is being written by ${busy.by_whom} at another page: wait until that batch is through, or cancel it there.`,
      );
    await trx('provision_batch_node')
      .whereIn(
        'batch_id',
        others.map((one) => one.id),
      )
      .whereIn(
        'node_id',
        nodes.map((node) => node.id),
      )
      .delete();
    const [row] = (await trx('provision_batch')
      .insert({ by_whom: by, holder, firmware: JSON.stringify(firmware), held_until: new Date(Date.now() + HOLD_MS) })
      .returning('id')) as { id: number }[];
    if (!row) throw new Error('a batch was not written');
    await trx('provision_batch_node').insert(nodes.map((node, place) => ({ batch_id: row.id, node_id: node.id, place })));
    return row.id;
  });
  return one(database, id);
}

/** Images chosen for the newest batch under way that a node is in, by board; nothing where there is none. */
export async function chosenImages(database: Database, node: NodeEntry): Promise<Record<string, string>> {
  const row = (await database('provision_batch as b')
    .join('provision_batch_node as m', 'm.batch_id', 'b.id')
    .where('m.node_id', node.id)
    .whereIn('b.state', ['running', 'paused'])
    .orderBy('b.id', 'desc')
    .first('b.firmware')) as Pick<BatchRow, 'firmware'> | undefined;
  return row?.firmware ?? {};
}

/** Holds a batch for a while more, or takes up one that nobody holds. Throws 409 where another page does. A batch whose nodes are all proved is done. */
export async function holdBatch(database: Database, id: number, holder: string): Promise<Batch> {
  const changed = await database('provision_batch')
    .where({ id })
    .where((mine) => void mine.where({ holder }).orWhere('held_until', '<', new Date()))
    .update({ holder, held_until: new Date(Date.now() + HOLD_MS) });
  const batch = await one(database, id);
  if (changed === 0)
    throw new ProblemError(
      409,
      'Being written',
      `${batch.by} is at this batch at another page: it can be taken up 20 s after that page is closed.`,
    );
  if (batch.state === 'running' && batch.nodes.length > 0 && batch.nodes.every((node) => node.result === 'proved')) {
    await database('provision_batch').where({ id }).update({ state: 'done', ended_at: new Date() });
    return one(database, id);
  }
  return batch;
}

/** Pauses, goes on with, or cancels a batch that this page holds. */
export async function setBatch(database: Database, id: number, holder: string, state: 'running' | 'paused' | 'cancelled'): Promise<Batch> {
  await holdBatch(database, id, holder);
  await database('provision_batch')
    .where({ id })
    .whereIn('state', ['running', 'paused'])
    .update({ state, ended_at: state === 'cancelled' ? new Date() : null });
  return one(database, id);
}

async function one(database: Database, id: number): Promise<Batch> {
  const [batch] = await listBatches(database, [id]);
  if (!batch) throw notFound(`batch ${id}`);
  return batch;
}
