import { sleeps, type Catalogue } from '@dewpost/core/circuit';
import { joinPatience, type JoinPatience } from '@dewpost/core/joining';
import { nodeConfigurationSchema, type NodeConfiguration } from '@dewpost/core/wire';
import type { Vault } from '../vault/vault';
import type { Config } from '../config/config';
import type { Database } from '../database/connect';
import { ProblemError } from '../problem/problem';
import { draftOf } from '../model/drafts';
import { fixedAddress, leafBurst, sealedNetworks } from '../model/networks';
import { outputsOf } from '../nodes/nodes';
import { accessPointOf, leafParts } from '../nodes/leaves';
import type { NodeEntry } from '../model/entries';
import type { Registry } from '../model/registry';

export const MASK = '••••••';

/** What a node is to be written with. Throws 409 where no network is set. The secrets are in it. */
export async function configurationOf(
  parts: {
    database: Database;
    registry: Registry;
    vault: Vault;
    config: Config;
    profiles: { catalogue(): Promise<Catalogue> };
    mqttPort: () => number;
  },
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
  const isGateway = [...parts.registry.nodes.values()].some((other) => other.gateway === node.name);
  return nodeConfigurationSchema.parse({
    revision: node.revision,
    node: node.name,
    key,
    room: node.room,
    sheet: node.sheet,
    broker: { host: parts.config.nodeAddress, port: parts.mqttPort() },
    // What is not hidden says nothing of it, so that configurations written before keep their digest.
    networks: networks.map(({ name, passphrase_sealed, hidden }) => ({
      name,
      passphrase: passphrase_sealed === null ? null : parts.vault.open(passphrase_sealed),
      ...(hidden && { hidden }),
    })),
    address: await fixedAddress(parts.database, node.id),
    reportSeconds: node.reportSeconds,
    points: points
      .filter((point) => point.body.kind !== 'derived')
      .map((point) => ({ name: point.name, unit: point.body.raw?.unit ?? point.body.unit })),
    outputs: outputsOf(points.map((point) => point.body)),
    accessPoint: isGateway ? { ...accessPointOf(parts.vault, node.name), port: parts.config.leafPort } : null,
    via: null,
    ...(node.gateway !== null &&
      leafParts(parts.vault, { gateway: node.gateway, burst: node.burst ?? (await leafBurst(parts.database)) }, parts.config)),
    join: await patienceOf(parts, node),
    setupPassword: parts.vault.password(`set-up network of ${node.name}`),
    trustedKeys: ((await parts.database('trusted_key').orderBy('name').limit(8).select('public_key')) as { public_key: string }[]).map(
      (row) => row.public_key,
    ),
  } satisfies NodeConfiguration);
}

/** How long a node tries to join, by its sheet: whether it sleeps, and what its board takes. One that was not drawn here counts as on the mains. */
async function patienceOf(
  parts: { database: Database; profiles: { catalogue(): Promise<Catalogue> } },
  node: NodeEntry,
): Promise<JoinPatience> {
  const draft = await draftOf(parts.database, node);
  const { boards, supplies } = await parts.profiles.catalogue();
  const supply = supplies.get(draft?.supply ?? '');
  return joinPatience(draft !== null && supply !== undefined && sleeps(draft, supply), boards.get(draft?.board ?? '')?.draw.joinSeconds);
}

/** A configuration to be looked at: every secret masked. */
export const withoutSecrets = (configuration: NodeConfiguration): NodeConfiguration => ({
  ...configuration,
  key: MASK.padEnd(16, '•'),
  networks: configuration.networks.map((network) => ({ ...network, passphrase: network.passphrase && MASK.padEnd(8, '•') })),
  accessPoint: configuration.accessPoint && { ...configuration.accessPoint, passphrase: MASK.padEnd(8, '•') },
  setupPassword: configuration.setupPassword === null ? null : MASK.padEnd(8, '•'),
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
