import type { Site } from '@dewpost/contract';
import type { Logger } from 'pino';
import type { Broker } from '../broker/hooks';
import type { Config } from '../config/config';
import type { Database } from '../database/connect';
import { Events } from '../events/events';
import { Hub } from '../events/hub';
import { Jobs } from '../jobs/jobs';
import type { HouseEvents } from '../model/house-events';
import { writeNodeLog, type LogLine } from '../model/node-log';
import { Registry } from '../model/registry';
import { ensureFirstSheet } from '../plan/climate-post';
import { Profiles, readProfiles } from '../plan/profiles';
import { ensureDemoFirmware } from '../provision/demo-firmware';
import type { Store } from '../store/change';
import type { Vault } from '../vault/vault';
import { layFoundation } from './foundation';
import { tidying } from './housekeeping';

/** What every part of the house is made with. */
export interface Base {
  readonly config: Config;
  readonly log: Logger;
  readonly database: Database;
  readonly store: Store;
  readonly vault: Vault;
  readonly profiles: Profiles;
  readonly registry: Registry;
  readonly hub: Hub;
  readonly events: HouseEvents;
  readonly jobs: Jobs;
  /** The broker is opened last, once all that it hands messages to stands; until then it is `null`. */
  readonly line: { broker: Broker | null };
  readonly site: () => Promise<Site>;
  /** What nobody waits for: said in the log where it fails. */
  readonly later: (work: Promise<unknown>, words: string) => void;
  /** Lines for nodes' log pages, which nobody waits for. */
  readonly note: (lines: readonly LogLine[]) => void;
  readonly close: () => Promise<void>;
}

/** Database, what is known of the site and its nodes, and the ways that the parts of the house hear of each other. */
export async function layBase(config: Config, log: Logger, fitting: 'needed' | 'taken as done'): Promise<Base> {
  const { database, store, vault, close } = await layFoundation(config, log);
  const profiles = new Profiles(database, readProfiles(config.catalogueDirectory));
  await ensureFirstSheet(database, await profiles.catalogue());
  // Made-up bytes are for stand-in boards: a real one must never be offered them.
  if (config.standinsUrl !== null) await ensureDemoFirmware(database, config.dataDirectory);
  const registry = new Registry(fitting);
  await registry.load(database);
  const jobs = new Jobs({ databaseUrl: config.databaseUrl, log, byClock: config.jobsByClock });
  jobs.add(tidying(database));
  const later = (work: Promise<unknown>, words: string): void => void work.catch((error: unknown) => log.error({ err: error }, words));
  const [address] = config.publicOrigins;
  return {
    ...{ config, log, database, store, vault, profiles, registry, jobs, later, close },
    hub: new Hub(),
    events: new Events(log),
    line: { broker: null },
    site: async () => ({
      ...(((await database('site').first('name', 'timezone')) as Site | undefined) ?? { name: 'New site', timezone: 'UTC' }),
      ...(address !== undefined && { address }),
    }),
    note: (lines) => later(writeNodeLog(database, lines), 'log lines were not written'),
  };
}
