import type { Migration } from './migration';
import { mend010 } from './010-mend';
import { names013 } from './013-names';
import { fitRound014 } from './014-fit-round';
import { due024 } from './024-due';
import { computed023 } from './023-computed';
import { firstWrite015 } from './015-first-write';
import { calibrations017 } from './017-calibrations';
import { consequences016 } from './016-consequences';
import { record018 } from './018-record';
import { forward025 } from './025-forward';
import { curves026 } from './026-curves';
import { routes027 } from './027-routes';
import { builtIn028 } from './028-built-in';
import { locks029 } from './029-locks';
import { shelves030 } from './030-shelves';
import { nodeFacts031 } from './031-node-facts';
import { tripTests032 } from './032-trip-tests';
import { timetables033 } from './033-timetables';
import { references034 } from './034-references';
import { alertLife036 } from './036-alert-life';
import { judgedAndNoted038 } from './038-judged-and-noted';
import { latched039 } from './039-latched';
import { push040 } from './040-push';
import { followers041 } from './041-followers';
import { outputLimits042 } from './042-output-limits';
import { houseNews043 } from './043-house-news';
import { whyAVersion044 } from './044-why-a-version';
import { forced045 } from './045-forced';
import { nodeWays037 } from './037-node-ways';
import { inherited035 } from './035-inherited';
import { holds020 } from './020-holds';
import { imports019 } from './019-imports';
import { kept022 } from './022-kept';
import { networks021 } from './021-networks';
import { steady011 } from './011-steady';
import { sources012 } from './012-sources';
import { until009 } from './until-009';

export type { Migration } from './migration';

/** Schema, forward only: add a migration, a file each, never change one that has landed. */
export const migrations: readonly Migration[] = [
  ...until009,
  mend010,
  steady011,
  sources012,
  names013,
  fitRound014,
  firstWrite015,
  consequences016,
  calibrations017,
  record018,
  imports019,
  holds020,
  networks021,
  kept022,
  computed023,
  due024,
  forward025,
  curves026,
  routes027,
  builtIn028,
  locks029,
  shelves030,
  nodeFacts031,
  tripTests032,
  timetables033,
  references034,
  inherited035,
  alertLife036,
  nodeWays037,
  judgedAndNoted038,
  latched039,
  push040,
  followers041,
  outputLimits042,
  houseNews043,
  whyAVersion044,
  forced045,
];
