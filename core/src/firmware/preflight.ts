import type { BoardProfile, Check } from '../circuit';
import { checkCredentials } from '../network';
import { nodeIdSchema, type NodeConfiguration } from '../wire';
import { canonicalJson } from '../manifest';

/** One thing that was looked at before writing. A failing one keeps the node from being written, a warning asks. */
export interface PreflightCheck {
  readonly verdict: 'pass' | 'warn' | 'fail';
  readonly title: string;
  readonly detail: string;
}

/** What is known of a node before it is written. */
export interface Preflight {
  readonly node: string;
  readonly configuration: NodeConfiguration;
  readonly board: BoardProfile | null;
  readonly image: {
    readonly name: string;
    readonly version: string;
    readonly board: string;
    readonly bytes: number;
    readonly minimumRevision: number;
  } | null;
  /** Why there is no image, where there is none. */
  readonly imageProblem: string | null;
  readonly sheetChecks: readonly Check[];
  readonly addressProblem: string | null;
  /** Thresholds on its points, with the range their sensor has. */
  readonly thresholds: readonly {
    readonly point: string;
    readonly setpoint: number;
    readonly physicalMin: number;
    readonly physicalMax: number;
  }[];
  /** It runs, is proved in place, and armed. */
  readonly fitted: boolean;
  /** Another tool chain writes it: its image is none of ours. */
  readonly elsewhere: boolean;
  /** Written to a stand-in: a broker on this computer is right then. */
  readonly standin: boolean;
}

/** Everything that can be known to go wrong before a board is touched; what fails comes first. */
export function preflight(given: Preflight): PreflightCheck[] {
  const found: PreflightCheck[] = [];
  // Two relays of a sheet need the same fuse said once.
  const say = (verdict: PreflightCheck['verdict'], title: string, detail: string): void => {
    if (!found.some((one) => one.verdict === verdict && one.title === title && one.detail === detail))
      found.push({ verdict, title, detail });
  };
  const { image, board, configuration } = given;

  if (!nodeIdSchema.safeParse(given.node).success)
    say('fail', 'Name', `${given.node} cannot be a client id and a topic: small letters, digits and hyphens, 32 at most.`);
  if (given.elsewhere)
    say(
      'pass',
      'Image',
      'It is written elsewhere: export its configuration, write it with its own tools, and it comes to the bench at Join.',
    );
  else if (!image) say('fail', 'Image', given.imageProblem ?? 'There is no image for its board.');
  else {
    if (board && image.board !== board.id)
      say('fail', 'Image', `${image.name} ${image.version} is made for ${image.board}, the sheet has a ${board.id}.`);
    else if (!board)
      say(
        'warn',
        'Image',
        `The sheet of this node was not drawn here: look yourself that ${image.name} ${image.version} is for its board.`,
      );
    else say('pass', 'Image', `${image.name} ${image.version} is made for ${board.id}.`);
    if (board && image.bytes > board.slotBytes)
      say('fail', 'Slot', `The image has ${image.bytes} bytes, a slot of the board ${board.slotBytes}.`);
    if (image.minimumRevision > configuration.revision)
      say(
        'fail',
        'Revision',
        `This image reads configurations from revision ${image.minimumRevision} on, and the node is at ${configuration.revision}.`,
      );
  }
  const size = new TextEncoder().encode(canonicalJson(configuration)).length;
  const store = board?.storeBytes ?? null;
  if (store !== null)
    say(
      size > store ? 'fail' : 'pass',
      'Store',
      `The configuration has ${size} bytes, the board’s store ${store}${size > store ? ': fewer points, or shorter names' : ''}.`,
    );
  for (const network of configuration.networks)
    for (const note of checkCredentials(network.name, network.passphrase)) say(note.severity, 'Network', `${network.name}: ${note.text}`);
  if (given.addressProblem !== null) say('fail', 'Address', given.addressProblem);
  if (!given.standin && /^(127\.|localhost$|::1$)/.test(configuration.broker.host))
    say(
      'fail',
      'Broker',
      `A real node cannot reach ${configuration.broker.host}: set DEWPOST_ADDRESS to the address this server has in the building.`,
    );
  for (const one of given.thresholds)
    if (one.setpoint < one.physicalMin || one.setpoint > one.physicalMax)
      say('fail', 'Threshold', `${one.point} trips at ${one.setpoint}, and its sensor reads ${one.physicalMin} to ${one.physicalMax}.`);
  if (given.fitted)
    say(
      'warn',
      'Fitted',
      'It runs, and is armed: while it is written its outputs are fail-safe, and after that it is unarmed until it is fitted anew.',
    );
  for (const check of given.sheetChecks) {
    if (check.verdict === 'pass') continue;
    say(check.verdict, 'Sheet', `${check.title}: ${check.figure}${check.limit ? `, limit ${check.limit}` : ''}. ${check.reason}`);
  }
  const rank = { fail: 0, warn: 1, pass: 2 };
  return found.sort((a, b) => rank[a.verdict] - rank[b.verdict]);
}
