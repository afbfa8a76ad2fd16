import { isPlain } from '@dewpost/core/alarm';
import { checkSheet, type BoardProfile, type Catalogue } from '@dewpost/core/circuit';
import { preflight, type PreflightCheck } from '@dewpost/core/firmware';
import { addressProblem, networkAddress } from '@dewpost/core/network';
import type { Vault } from '../vault/vault';
import type { Config } from '../config/config';
import type { Database } from '../database/connect';
import { ProblemError } from '../problem/problem';
import { draftsOf } from '../model/drafts';
import { readAddressing } from '../model/networks';
import type { NodeEntry } from '../model/entries';
import type { Registry } from '../model/registry';
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
  /** Profile of its board, and the image it is to be written with; `null`: not known, or none. */
  board: string | null;
  image: string | null;
  firstWrite: BoardProfile['firstWrite'];
  checks: PreflightCheck[];
}

/** The image chosen for a board; `null`: the newest. */
export type ImageChoice = (board: string | null) => string | null;

/**
 * Looks at nodes before they are written. `elsewhere`: another tool chain writes them, whatever their boards’ profiles say. Throws
 * 409 where no network is set: nothing can be looked at then.
 */
export async function preflightOf(
  parts: Parts,
  nodes: readonly NodeEntry[],
  choice: ImageChoice = () => null,
  elsewhere = false,
): Promise<Looked[]> {
  const { database, registry, config } = parts;
  const catalogue = await parts.profiles.catalogue();
  const addressing = await readAddressing(database);
  const addresses = (await database('node').whereNotNull('address').select('name', 'address')) as { name: string; address: string }[];
  const taken = new Map(addresses.map((row) => [row.address, row.name]));
  const drafts = await draftsOf(database, nodes);
  const found: Looked[] = [];
  for (const node of nodes) {
    const draft = drafts.get(node.id) ?? null;
    const board = draft ? (catalogue.boards.get(draft.board) ?? null) : null;
    let imageProblem: string | null = null;
    const image = await imageFor(database, draft?.board ?? null, choice(draft?.board ?? null)).catch((error: unknown) => {
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
      board: draft?.board ?? null,
      image: image?.id ?? null,
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
          (registry.thresholdsByPoint.get(point.id) ?? [])
            .filter(({ rule }) => isPlain(rule))
            .map(({ rule }) => ({
              point: point.name,
              setpoint: rule.setpoint,
              physicalMin: point.body.physicalMin,
              physicalMax: point.body.physicalMax,
            })),
        ),
        fitted: node.fittedAt !== null && node.state === 'proved',
        elsewhere: elsewhere || board?.firstWrite === 'written elsewhere',
        standin: config.standinsUrl !== null,
      }),
    });
  }
  return found;
}

/** Throws 422 with what fails: the server writes nothing that a look would have refused, whoever asks. */
export async function refuseFailing(parts: Parts, node: NodeEntry, choice: ImageChoice, elsewhere: boolean): Promise<void> {
  const [looked] = await preflightOf(parts, [node], choice, elsewhere);
  const failing = (looked?.checks ?? []).filter((check) => check.verdict === 'fail');
  if (failing.length > 0)
    throw new ProblemError(
      422,
      'Fails before writing',
      `${node.name} cannot be written yet. ${failing.map(({ title, detail }) => `${title}: ${detail}`).join(' ')}`.slice(0, 900),
    );
}
