import { type addressing, type Addressing, type Subnet } from '@dewpost/contract';
import { addressProblem, subnetProblems } from '@dewpost/core/network';
import type * as z from 'zod';
import type { Vault } from '../vault/vault';
import type { Database, Transaction } from '../database/connect';
import { editionOf, nextEdition } from '../store/edition';
import { ProblemError } from '../problem/problem';
import { readAddressing, sealedNetworks } from '../model/networks';
import type { Registry } from '../model/registry';
import { currentPlan } from './site-plan';

const NETWORKS = 'list of networks';
const ADDRESSES = 'plan of addresses';

type NetworksReply = z.input<typeof addressing.networks.reply>;
type AddressesReply = z.input<typeof addressing.addresses.reply>;

export const networkViews = async (database: Database | Transaction): Promise<NetworksReply> => ({
  version: await editionOf(database, NETWORKS),
  networks: (await sealedNetworks(database)).map(({ name, passphrase_sealed, hidden }) => ({
    name,
    passphraseSet: passphrase_sealed !== null,
    open: passphrase_sealed === null,
    hidden,
  })),
});

/** Sets all networks at once; one whose passphrase is left out keeps the one it has, unless it is open. */
export async function setNetworks(
  database: Database,
  vault: Vault,
  { from, networks }: { from: number; networks: readonly { name: string; passphrase: string | null; open: boolean; hidden: boolean }[] },
): Promise<NetworksReply> {
  await database.transaction(async (trx) => {
    await nextEdition(trx, NETWORKS, from, () => networkViews(trx));
    const before = new Map((await sealedNetworks(trx)).map((network) => [network.name, network.passphrase_sealed]));
    const rows = networks.map(({ name, passphrase, open, hidden }, i) => {
      if (open) return { place: i + 1, name, passphrase_sealed: null, hidden };
      const sealed = passphrase === null ? before.get(name) : vault.seal(passphrase);
      // One that was open has none to keep.
      if (sealed === undefined || sealed === null)
        throw new ProblemError(422, 'Cannot be used', `${name} has no passphrase yet: type it.`, [
          { path: `body.networks.${i}.passphrase`, message: 'type it' },
        ]);
      return { place: i + 1, name, passphrase_sealed: sealed, hidden };
    });
    await trx('site_network').delete();
    if (rows.length > 0) await trx('site_network').insert(rows);
  });
  return networkViews(database);
}

/** The subnet that a node belongs to: its gateway's, where the plan sends it through one that has a subnet; else the site's. */
async function subnetsOfNodes(database: Database | Transaction, addressing: Addressing | null): Promise<(node: string) => string> {
  const { plan } = await currentPlan(database);
  const via = new Map(plan.nodes.map((placed) => [placed.node, placed.via]));
  return (node) => {
    const gateway = via.get(node) ?? null;
    return gateway !== null && addressing?.subnets.some((subnet) => subnet.id === gateway) ? gateway : 'site';
  };
}

export async function addressesView(database: Database | Transaction, registry: Registry): Promise<AddressesReply> {
  const addressing = await readAddressing(database);
  const subnetOf = await subnetsOfNodes(database, addressing);
  const rows = (await database('node').select('name', 'address')) as { name: string; address: string | null }[];
  const addresses = new Map(rows.map((row) => [row.name, row.address]));
  return {
    version: await editionOf(database, ADDRESSES),
    addressing,
    // A source is somebody else's device, often on another network: it has no address of ours; an adopted one has its own already.
    nodes: [...registry.nodes.values()].flatMap((node) =>
      node.kind !== 'node'
        ? []
        : {
            node: node.name,
            address: addresses.get(node.name) ?? null,
            subnet: subnetOf(node.name),
            hardwareId: node.hardwareId,
          },
    ),
  };
}

/** Sets subnets and addresses, all or none. Throws 422 naming every address that cannot stand, and why. */
export async function setAddresses(
  database: Database,
  registry: Registry,
  wanted: { from: number; addressing: Addressing; addresses: Readonly<Record<string, string>> },
  by: string,
): Promise<void> {
  const errors = subnetProblems(wanted.addressing.subnets).map(({ at, text }) => ({
    path: `body.addressing.subnets.${at}`,
    message: text,
  }));
  const subnetOf = await subnetsOfNodes(database, wanted.addressing);
  const subnets = new Map<string, Subnet>(wanted.addressing.subnets.map((subnet) => [subnet.id, subnet]));
  const taken = new Map<string, string>();
  for (const [node, address] of Object.entries(wanted.addresses)) {
    const subnet = subnets.get(subnetOf(node));
    const problem = !registry.nodes.has(node)
      ? `there is no node ${node}`
      : subnet
        ? addressProblem(subnet, address, taken, node)
        : `there is no subnet ${subnetOf(node)}: add it first`;
    if (problem !== null) errors.push({ path: `body.addresses.${node}`, message: problem });
    taken.set(address, node);
  }
  if (errors.length > 0)
    throw new ProblemError(
      422,
      'Cannot be used',
      errors.map(({ path, message }) => `${path.split('.').at(-1)}: ${message}`).join(' '),
      errors,
    );
  await database.transaction(async (trx) => {
    await nextEdition(trx, ADDRESSES, wanted.from, () => addressesView(trx, registry));
    await trx('addressing')
      .insert({ body: JSON.stringify(wanted.addressing), made_by: by })
      .onConflict('one')
      .merge({ body: JSON.stringify(wanted.addressing), made_by: by, made_at: new Date() });
    await trx('node').update({ address: null });
    for (const [name, address] of Object.entries(wanted.addresses)) await trx('node').where({ name }).update({ address });
  });
}
