import type { Router } from 'express';
import type { Logger } from 'pino';
import type { Config } from '../config/config';
import type { Database } from '../database/connect';
import { ComputedPoints } from '../derive/computed-points';
import { Deriver, type DeriverParts } from '../derive/deriver';
import { computedRoutes } from '../derive/routes';
import type { Hub } from '../events/hub';
import { GoingLive } from '../kept/going-live';
import { Retention } from '../kept/retention';
import { keptRoutes } from '../kept/routes';
import type { Jobs } from '../jobs/jobs';
import type { HouseEvents } from '../model/house-events';
import type { Registry } from '../model/registry';
import { rollingUp } from '../record/rollups';
import type { Store } from '../store/change';
import type { Vault } from '../vault/vault';
import { Imports } from '../watch/imports/imports';
import { importRoutes } from '../watch/imports/routes';

/** What is made of readings behind intake, and how long they stay. */
export interface KeptRecord {
  readonly routes: Router[];
  start(): void;
  stop(): Promise<void>;
}

/** Puts together roll-ups, computed points, imports and retention; each hears of the readings it follows from here on. */
export async function keepRecord(parts: {
  config: Config;
  store: Store;
  database: Database;
  registry: Registry;
  hub: Hub;
  vault: Vault;
  events: HouseEvents;
  log: Logger;
  jobs: Jobs;
  hear: DeriverParts['hear'];
}): Promise<KeptRecord> {
  const { config, store, database, registry, hub, vault, events, log, jobs, hear } = parts;
  const rollUp = rollingUp({ database, zone: () => registry.timezone });
  const changed = (): void => jobs.soon(rollUp.name);
  const imports = new Imports({ database, registry, dataDirectory: config.dataDirectory, log, events, changed });
  const retention: Retention = new Retention({ store, database, registry, log, changed: () => jobs.soon(retention.job.name) });
  jobs.add(rollUp, retention.job);
  const goingLive = new GoingLive({ store, database, registry, hub, changed });
  const deriver = new Deriver({ database, registry, log, hear, changed });
  const computedPoints = new ComputedPoints({ store, database, registry, hub, vault, deriver });
  await computedPoints.load();
  events.on('readings', (items) => deriver.heard(items));
  events.on('rewritten', ({ points, from }) => computedPoints.changedFrom(points, from));
  events.on('retired', (node) => computedPoints.forget(node));
  await imports.goOn();
  return {
    routes: [importRoutes(imports), computedRoutes(computedPoints), keptRoutes({ registry, retention, goingLive })],
    start() {
      deriver.catchUp(Date.now());
      jobs.soon(retention.job.name);
    },
    async stop() {
      await deriver.stop();
      await imports.close();
    },
  };
}
