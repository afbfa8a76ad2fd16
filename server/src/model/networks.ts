import { addressingSchema, type Addressing } from '@dewpost/contract';
import { USUAL_BURST } from '@dewpost/core/leaf';
import { networkAddress } from '@dewpost/core/network';
import type { Burst } from '@dewpost/core/wire';
import type { Database, Transaction } from '../database/connect';

export interface SealedNetwork {
  name: string;
  /** `null`: an open network. */
  passphrase_sealed: string | null;
  /** It does not tell its name. */
  hidden: boolean;
}

/** The site's networks in the order that nodes try them, passphrases sealed. */
export const sealedNetworks = async (database: Database | Transaction): Promise<SealedNetwork[]> =>
  (await database('site_network').orderBy('place').select('name', 'passphrase_sealed', 'hidden')) as SealedNetwork[];

/** The subnets, or `null` where none was set. */
export async function readAddressing(database: Database | Transaction): Promise<Addressing | null> {
  const row = (await database('addressing').first('body')) as { body: unknown } | undefined;
  return row ? addressingSchema.parse(row.body) : null;
}

/** The fixed address that a node is written with; `null` where the router gives it. */
export async function fixedAddress(database: Database, nodeId: number): Promise<{ ip: string; prefix: number; router: string } | null> {
  const addressing = await readAddressing(database);
  const row = (await database('node').where({ id: nodeId }).first('address')) as { address: string | null } | undefined;
  const ip = row?.address ?? null;
  if (addressing?.how !== 'static' || ip === null) return null;
  const subnet = addressing.subnets.find((one) => networkAddress(ip, one.prefix) === networkAddress(one.network, one.prefix));
  return subnet ? { ip, prefix: subnet.prefix, router: subnet.router } : null;
}

/** How leaves send, as planned under Traffic and cost; the usual burst where nothing was. */
export async function leafBurst(database: Database | Transaction): Promise<Burst> {
  const row = (await database('site').first('leaf_burst')) as { leaf_burst: Burst | null } | undefined;
  return row?.leaf_burst ?? USUAL_BURST;
}
