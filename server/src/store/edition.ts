import type { Database, Transaction } from '../database/connect';
import { changedMeanwhile } from '../problem/problem';

/**
 * Counts up the version of something that is edited as a whole, in this transaction. Throws 409 with what is in force, where it is not the
 * version that the editing began from.
 */
export async function nextEdition(trx: Transaction, what: string, from: number, current: () => Promise<unknown>): Promise<void> {
  await trx('edition').insert({ what, version: 0 }).onConflict('what').ignore();
  const row = (await trx('edition').where({ what }).forUpdate().first('version')) as { version: number };
  if (row.version !== from) throw changedMeanwhile(what, from, row.version, await current());
  await trx('edition')
    .where({ what })
    .update({ version: from + 1 });
}

/** The version in force; 0 where it was never edited. */
export async function editionOf(database: Database | Transaction, what: string): Promise<number> {
  const row = (await database('edition').where({ what }).first('version')) as { version: number } | undefined;
  return row?.version ?? 0;
}
