import type { NodeFact } from '@dewpost/contract';
import type { Database, Transaction } from '../database/connect';
import type { NodeEntry } from './entries';

/** So many are shown at most: a node that wakes four times a day, over two years. */
const MOST = 3000;

/** Keeps what a node said of its supply (V) and its signal (dBm) at a time; nothing where it said neither. */
export async function keepFact(
  trx: Transaction,
  node: NodeEntry,
  said: { volts?: number | undefined; rssiDbm?: number | undefined },
  at: number,
): Promise<void> {
  const { volts = null, rssiDbm = null } = said;
  if (volts === null && rssiDbm === null) return;
  await trx('node_fact')
    .insert({ node_id: node.id, at: new Date(at), volts, rssi_dbm: rssiDbm === null ? null : Math.round(rssiDbm) })
    .onConflict()
    .ignore();
}

/** What a node said of itself, oldest first: the newest 3000. */
export async function factsOf(database: Database, node: NodeEntry): Promise<NodeFact[]> {
  const rows = (await database('node_fact')
    .where({ node_id: node.id })
    .orderBy('at', 'desc')
    .limit(MOST)
    .select('at', 'volts', 'rssi_dbm')) as {
    at: Date;
    volts: number | null;
    rssi_dbm: number | null;
  }[];
  return rows.reverse().map(({ at, volts, rssi_dbm: rssiDbm }) => ({ at: at.getTime(), volts: round(volts), rssiDbm }));
}

/** What a column of single precision gives back, as it was said. */
const round = (volts: number | null): number | null => (volts === null ? null : Math.round(volts * 1000) / 1000);
