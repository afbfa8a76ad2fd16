import { nodeConfigurationSchema, type NodeConfiguration } from '@dewpost/core/wire';
import type { Vault } from '../access/vault';
import type { Config } from '../config';
import type { Database } from '../database/connect';
import { ProblemError } from '../http/problem';
import { fixedAddress, sealedNetworks } from '../site/networks';
import { outputsOf } from '../site/nodes';
import type { NodeEntry } from '../site/registry';

export const MASK = '••••••';

/** What a node is to be written with. Throws 409 where no network is set. The secrets are in it. */
export async function configurationOf(
  parts: { database: Database; vault: Vault; config: Config; mqttPort: () => number },
  node: NodeEntry,
  key: string,
): Promise<NodeConfiguration> {
  const networks = await sealedNetworks(parts.database);
  if (networks.length === 0)
    throw new ProblemError(
      409,
      'No network',
      'No network is set: set its name and passphrase under Plan, Addresses and keys, or on the bench first.',
    );
  const points = [...node.points.values()];
  return nodeConfigurationSchema.parse({
    revision: node.revision,
    node: node.name,
    key,
    room: node.room,
    sheet: node.sheet,
    broker: { host: parts.config.nodeAddress, port: parts.mqttPort() },
    networks: networks.map(({ name, passphrase_sealed }) => ({ name, passphrase: parts.vault.open(passphrase_sealed) })),
    address: await fixedAddress(parts.database, node.id),
    reportSeconds: node.reportSeconds,
    points: points.filter((point) => point.body.kind !== 'derived').map((point) => ({ name: point.name, unit: point.body.unit })),
    outputs: outputsOf(points.map((point) => point.body)),
  } satisfies NodeConfiguration);
}

/** A configuration to be looked at: every secret masked. */
export const withoutSecrets = (configuration: NodeConfiguration): NodeConfiguration => ({
  ...configuration,
  key: MASK.padEnd(16, '•'),
  networks: configuration.networks.map(({ name }) => ({ name, passphrase: MASK.padEnd(8, '•') })),
});

/** What was last written to a node, without its secrets; `null` where nothing was, or it was written before this was kept. */
export async function lastWritten(database: Database, node: NodeEntry): Promise<NodeConfiguration | null> {
  const row = (await database('provision_run')
    .where({ node_id: node.id })
    .whereNotNull('configuration')
    .whereExists(function () {
      void this.select('*').from('provision_step').whereRaw("run_id = provision_run.id and step = 'configure' and state = 'done'");
    })
    .orderBy('id', 'desc')
    .first('configuration')) as { configuration: unknown } | undefined;
  return row ? nodeConfigurationSchema.parse(row.configuration) : null;
}

/** Profile of the board that a node is built on; `null` where its sheet was not drawn here. */
export async function boardOf(database: Database, node: NodeEntry): Promise<string | null> {
  const row = (await database('build_sheet as s').join('node as n', 'n.build_sheet_id', 's.id').where('n.id', node.id).first('s.body')) as
    { body: { draft?: { board: string } | null } } | undefined;
  return row?.body.draft?.board ?? null;
}
