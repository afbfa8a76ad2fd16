import { pino } from 'pino';
import { layBase } from './compose/base';
import { openBroker, publishForReaders } from './compose/broker';
import { standNodes, type Equipment } from './compose/equipment';
import { raiseEngine, type Judgement } from './compose/judgement';
import { openPage } from './compose/page';
import { keepRecord } from './compose/record';
import { StatusWatch } from './compose/status';
import type { Config } from './config/config';
import { Forwarding } from './forward/forwarding';
import { Intake } from './intake/intake';
import { Certificate } from './net/certificate';
import { Marks } from './record/marks';
import { AllWell } from './ways/all-well';

export interface RunningServer {
  url: string;
  mqttPort: number;
  /** The doors with TLS; `null`: there are none. */
  httpsPort: number | null;
  mqttsPort: number | null;
  /** Its routes, as `METHOD path`: what the table of doors is held against. */
  routes: readonly string[];
  close: () => Promise<void>;
}

/** Puts the house together and starts it: database, engine, nodes, intake, broker and page in one process. */
export async function startServer(config: Config, fitting: 'needed' | 'taken as done' = 'needed'): Promise<RunningServer> {
  const log = pino({ level: config.logLevel });
  const base = await layBase(config, log, fitting);
  const { database, store, vault, registry, hub, events, jobs, line, note, later } = base;
  const certificate = config.tls ? new Certificate(config.tls, log) : null;
  let httpPort = config.httpPort;
  const judgement: Judgement = await raiseEngine(base, {
    settingsOf: (node) => equipment.nodes.settings(node),
    routesChanged: () => jobs.soon(allWell.job.name),
  });
  const { engine, outbox, routePlans, ways, shelves, tripTests, drills, followers, habits } = judgement;
  const equipment: Equipment = await standNodes(base, engine, () => httpPort);
  const { nodes, adoptedNodes, readingAccounts, calibrations, holds, lockouts, outputLimits, runs, fits, rollouts } = equipment;
  const forwarding = new Forwarding({
    ...{ store, database, registry, vault, events, log },
    allowed: config.outgoingAllow,
    newest: (point) => engine.state.newest.get(point),
  });
  await forwarding.forwards.load();
  const intake = new Intake(
    {
      ...{ database, registry, engine, events, log, note },
      marks: new Marks(),
      forwarded: (items, now) => forwarding.forwards.part(items, now),
      judgeFirst: (change, node, readings) => runs.judgeFirst(change, node, readings),
    },
    log,
  );
  const record = await keepRecord({
    ...{ config, store, database, registry, hub, vault, events, log, jobs },
    hear: (node, records) => intake.add({ node, body: JSON.stringify(records), arrivedAt: Date.now() }),
  });
  // It tells of what it rewrites: whoever follows stands by now.
  jobs.add(calibrations.job);
  jobs.soon(calibrations.job.name);
  const broker = await openBroker({
    ...{ config, log, later, registry, events, engine, nodes, fits, intake, adoptedNodes, readingAccounts, certificate },
  });
  line.broker = broker;
  publishForReaders(broker, engine, readingAccounts.heardPoints());
  const watch = new StatusWatch({ config, database, registry, intake, engine, hub });
  const allWell = new AllWell({
    ...{ store, outbox, routePlans },
    handset: config.handsetUrl !== null,
    zone: () => registry.timezone,
    nameOf: (way) => ways.rules().find(({ id }) => id === way)?.name,
    openAlerts: () => engine.openAlerts(),
    nodes: () => ({ heard: watch.status().nodesHeard, written: watch.status().nodesWritten }),
  });
  jobs.add(allWell.job, habits.job);
  const page = await openPage(
    { base, judgement, equipment, intake, forwarding, recordRoutes: record.routes, watch, certificate },
    (port) => (httpPort = port),
  );
  await rollouts.load();
  certificate?.watch();
  record.start();
  forwarding.start();
  jobs.soon(allWell.job.name);
  await jobs.start();
  watch.start();
  engine.start();
  followers.start();
  outputLimits.start();
  rollouts.start();
  runs.overdue.start();
  outbox.start();
  void outbox.poll();
  log.info({ http: page.httpPort, mqtt: broker.port }, 'Dew Post is up');

  return {
    url: `http://${config.bind.includes(':') ? `[${config.bind}]` : config.bind}:${page.httpPort}`,
    mqttPort: broker.port,
    httpsPort: page.httpsPort,
    mqttsPort: broker.tlsPort,
    routes: page.routes,
    async close() {
      holds.stop();
      lockouts.stop();
      outputLimits.stop();
      shelves.stop();
      followers.stop();
      tripTests.stop();
      await drills.stop();
      await calibrations.stop();
      await jobs.stop();
      await forwarding.stop();
      await record.stop();
      watch.stop();
      hub.close();
      await intake.drain();
      await broker.close();
      runs.overdue.stop();
      await rollouts.stop();
      await engine.stop();
      await outbox.stop();
      certificate?.stop();
      await page.close();
      await base.close();
    },
  };
}
