import type { SheetDraft } from '@dewpost/core/circuit';
import type { Database, Transaction } from '../database/connect';

/** What nodes' sheets were drawn from, by the node's number in the database; `null`: a sheet that was not drawn here. */
export async function draftsOf(
  database: Database | Transaction,
  nodes: readonly { id: number }[],
): Promise<Map<number, SheetDraft | null>> {
  const rows = (await database('build_sheet as s')
    .join('node as n', 'n.build_sheet_id', 's.id')
    .whereIn(
      'n.id',
      nodes.map(({ id }) => id),
    )
    .select('n.id', 's.body')) as { id: number; body: { draft?: SheetDraft | null } }[];
  return new Map(rows.map(({ id, body }) => [id, body.draft ?? null]));
}

export const draftOf = async (database: Database | Transaction, node: { id: number }): Promise<SheetDraft | null> =>
  (await draftsOf(database, [node])).get(node.id) ?? null;
