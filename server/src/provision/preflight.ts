import { checkSheet, type BoardProfile, type Catalogue } from '@dewpost/core/circuit';
import { preflight, type PreflightCheck } from '@dewpost/core/firmware';
import { addressProblem, networkAddress } from '@dewpost/core/network';
import { buildSheetBodySchema } from '@dewpost/contract';
import type { Vault } from '../access/vault';
import type { Config } from '../config';
import type { Database } from '../database/connect';
import { ProblemError } from '../http/problem';
import { readAddressing } from '../site/networks';
import type { NodeEntry, Registry } from '../site/registry';
import { configurationOf, MASK } from './configuration';
import { imageFor } from './firmware';

interface Parts {
  database: Database;
  registry: Registry;
  vault: Vault;
  config: Config;
  mqttPort: () => number;
  profiles: { catalogue(): Promise<Catalogue> };
}

interface Looked {
  node: string;
  firstWrite: BoardProfile['firstWrite'];
  checks: PreflightCheck[];
}

/** Looks at nodes before they are written. Throws 409 where no network is set: nothing can be looked at then. */
export async function preflightOf(parts: Parts, nodes: readonly NodeEntry[]): Promise<Looked[]> {
  const { database, registry, config } = parts;
  const catalogue = await parts.profiles.catalogue();
  const addressing = await readAddressing(database);
  const addresses = (await database('node').whereNotNull('address').select('name', 'address')) as { name: string; address: string }[];
  const taken = new Map(addresses.map((row) => [row.address, row.name]));
  const found: Looked[] = [];
  for (const node of nodes) {
    const row = (await database('build_sheet as s')
      .join('node as n', 'n.build_sheet_id', 's.id')
      .where('n.id', node.id)
      .first('s.body')) as { body: unknown };
    const { draft } = buildSheetBodySchema.parse(row.body);
    const board = draft ? (catalogue.boards.get(draft.board) ?? null) : null;
    let imageProblem: string | null = null;
    const image = await imageFor(database, draft?.board ?? null, null).catch((error: unknown) => {
      if (!(error instanceof ProblemError)) throw error;
      imageProblem = error.detail;
      return null;
    });
    // The key's length is all that matters of it here.
    const configuration = await configurationOf(parts, node, MASK.padEnd(22, '•'));
    const own = addresses.find((one) => one.name === node.name)?.address ?? null;
    const subnet =
      own === null
        ? undefined
        : addressing?.subnets.find((one) => networkAddress(own, one.prefix) === networkAddress(one.network, one.prefix));
    const outside = own !== null && addressing !== null && !subnet ? `${own} lies in none of the site’s subnets.` : null;
    found.push({
      node: node.name,
      firstWrite: board?.firstWrite ?? 'this protocol',
      checks: preflight({
        node: node.name,
        configuration,
        board,
        image: image && {
          name: image.name,
          version: image.version,
          board: image.board,
          bytes: image.bytes,
          minimumRevision: image.minimum_revision,
        },
        imageProblem,
        sheetChecks: draft ? checkSheet(draft, catalogue).checks : [],
        addressProblem: outside ?? (own !== null && subnet ? addressProblem(subnet, own, taken, node.name) : null),
        thresholds: [...node.points.values()].flatMap((point) =>
          (registry.thresholdsByPoint.get(point.id) ?? []).map(({ rule }) => ({
            point: point.name,
            setpoint: rule.setpoint,
            physicalMin: point.body.physicalMin,
            physicalMax: point.body.physicalMax,
          })),
        ),
        standin: config.standinsUrl !== null,
      }),
    });
  }
  return found;
}
