import type { Site } from '@dewpost/contract';
import type { RequestHandler } from 'express';
import { pino } from 'pino';
import { namesOf } from './http/doors';
import { accessRoutes } from './access/routes';
import { makeSessions } from './access/sessions';
import { Shares } from './access/shares';
import { randomToken, secretFile } from './vault/vault';
import { openBroker, publishForReaders } from './compose/broker';
import { layFoundation } from './compose/foundation';
import { tidying } from './compose/housekeeping';
import { Metrics } from './compose/metrics';
import { keepRecord } from './compose/record';
import { StatusWatch } from './compose/status';
import { listen, type Broker } from './broker/broker';
import { poolOf } from './database/connect';
import type { Config } from './config/config';
import { Engine } from './engine/engine';
import { ShelfBook } from './engine/shelf';
import { makeApp } from './http/app';
import { cookieOf } from './http/cookie';
import { routesOf } from './http/routes-of';
import { httpServers, portOf } from './http/server';
import { Forwarding } from './forward/forwarding';
import { Intake } from './intake/intake';
import { nodeRoutes } from './intake/node-routes';
import { Events } from './events/events';
import { Jobs } from './jobs/jobs';
import { Hub } from './events/hub';
import { liveRoutes } from './live/routes';
import { Outbox } from './outbox/outbox';
import { ensureFirstSheet } from './plan/climate-post';
import { Profiles, readProfiles } from './plan/profiles';
import { planRoutes } from './plan/routes';
import { ensureDemoFirmware, imagesFolder } from './provision/firmware';
import { BatteryWatch } from './provision/battery-watch';
import { Fits } from './provision/fits';
import { Rollouts } from './provision/rollouts';
import { provisionRoutes } from './provision/routes';
import { Runs } from './provision/runs';
import { writeNodeLog, type LogLine } from './model/node-log';
import { Lockouts } from './respond/lockouts';
import { Shelves } from './respond/shelves';
import { respondRoutes } from './respond/routes';
import { Nodes } from './nodes/nodes';
import { AdoptedNodes } from './nodes/adopted';
import { adoptedRoutes } from './nodes/adopted-routes';
import { NodeCare } from './nodes/node-care';
import { nodeCareRoutes } from './nodes/node-care-routes';
import { Readers } from './nodes/readers';
import { sourceRoutes } from './nodes/source-routes';
import type { HouseEvents } from './model/house-events';
import { Calibrations } from './calibrate/calibrations';
import { Holds } from './calibrate/holds';
import { calibrateRoutes } from './calibrate/routes';
import { Certificate } from './net/certificate';
import { Registry } from './model/registry';
import { Marks } from './record/marks';
import { Comers } from './reaching/comers';
import { reachingRoutes } from './reaching/routes';
import { standinsProxy } from './standins/proxy';
import { AllWell } from './ways/all-well';
import { RoutePlans } from './ways/route-plans';
import { Ways } from './ways/ways';
import { watchRoutes } from './watch/routes';
import { SHARE_COOKIE } from './watch/share-cookie';

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

const SHARD = 0;

/** Puts the house together and starts it: database, broker, engine, outbox, API and page in one process. */
export async function startServer(config: Config, fitting: 'needed' | 'taken as done' = 'needed'): Promise<RunningServer> {
  const log = pino({ level: config.logLevel });
  const { database, store, vault, close: closeFoundation } = await layFoundation(config, log);
  const profiles = new Profiles(database, readProfiles(config.catalogueDirectory));
  await ensureFirstSheet(database, await profiles.catalogue());
  // Made-up bytes are for stand-in boards: a real one must never be offered them.
  if (config.standinsUrl !== null) await ensureDemoFirmware(database, config.dataDirectory);

  const certificate = config.tls ? new Certificate(config.tls, log) : null;
  let names = namesOf(config, config.httpPort, certificate ? config.httpsPort : null);
  const sessions = makeSessions(database, config.databaseUrl, secretFile(config.dataDirectory, 'session.key'), (host) =>
    names.secure.has(host),
  );
  const registry = new Registry(fitting);
  await registry.load(database);
  const hub = new Hub();
  const events: HouseEvents = new Events(log);
  const shares = new Shares(database, events);
  const jobs = new Jobs({ databaseUrl: config.databaseUrl, log, byClock: config.jobsByClock });
  jobs.add(tidying(database));

  const later = (work: Promise<unknown>, words: string): void => void work.catch((error: unknown) => log.error({ err: error }, words));

  // The outbox sends through the broker, which is started once all that it hands messages to stands.
  let broker: Broker | null = null;
  const ways = new Ways({ store, database, vault, allowed: config.outgoingAllow, siteName: async () => (await site()).name });
  await ways.load();
  const routePlans = new RoutePlans({
    store,
    database,
    ways: ways.rules,
    handset: config.handsetUrl !== null,
    zone: () => registry.timezone,
    changed: () => jobs.soon(allWell.job.name),
  });
  await routePlans.load();
  const outbox = new Outbox({
    sendByWay: (way, message) => ways.deliver(way, message),
    database,
    log,
    handsetUrl: config.handsetUrl,
    sendCommand: (node, command) => broker?.send(node, 'do', command) ?? false,
    sendSettings: (name) => {
      const node = registry.nodes.get(name);
      if (node) broker?.send(name, 'set', nodes.settings(node), true);
    },
    tell: (events) => hub.publish(events),
    notReached: (alert) => later(engine.notReached(alert), 'whoever comes next could not be told'),
  });
  const shelfBook = new ShelfBook();
  const engine: Engine = new Engine({
    store,
    registry,
    hub,
    outbox,
    events,
    log,
    shard: SHARD,
    tickMs: config.tickMs,
    handsetUrl: config.handsetUrl,
    ways: ways.rules,
    routes: routePlans,
    shelves: shelfBook,
  });
  const shelves = new Shelves({ store, engine, hub, log, book: shelfBook });
  await shelves.load();
  await engine.load();
  shelves.start();
  const nodes = new Nodes({ store, registry, engine, hub, vault, events });
  const note = (lines: readonly LogLine[]): void => later(writeNodeLog(database, lines), 'log lines were not written');
  const adoptedNodes = new AdoptedNodes({ store, database, registry, hub, vault, note });
  await adoptedNodes.load();
  const readingAccounts = new Readers({
    store,
    database,
    registry,
    publish: (points) => broker && publishForReaders(broker, engine, points),
    withdraw: (topics) => topics.forEach((topic) => broker?.publishOut(topic, null)),
    disconnect: (account) => broker?.disconnect(account),
    connected: (account) => broker?.sessionsOf(account) ?? 0,
  });
  await readingAccounts.load();
  events.on('readings', (items) => {
    const heard = new Set(items.flatMap(({ point }) => (readingAccounts.isHeard(point) ? [point] : [])));
    if (broker && heard.size > 0) publishForReaders(broker, engine, [...heard]);
  });
  events.on('retired', (node) => adoptedNodes.forget(node));
  const calibrations = new Calibrations({ store, database, registry, engine, hub, events });
  await calibrations.load();
  const holds = new Holds({ registry, engine, nodes, hub, log });
  holds.load();
  const lockouts = new Lockouts({ registry, engine, nodes, hub, log });
  lockouts.load();
  const care = new NodeCare({ store, database, registry, engine, hub, events });
  const runs = new Runs({ store, registry, engine, hub, log, vault, config, profiles, mqttPort: () => broker?.port ?? config.mqttPort });
  const batteries = new BatteryWatch({ database, engine, profiles });
  events.on('hello', (node) => runs.contact(node));
  events.on('hello', (node) => batteries.heard(node));
  events.on('readBack', ({ node, output, done }) => runs.readBack(node, output, done));
  events.on('settings', (items) => outbox.dispatch(items));
  events.on('keyRevoked', (node) => broker?.disconnect(node.name));
  const fits = new Fits({
    store,
    registry,
    engine,
    hub,
    events,
    log,
    profiles,
    runs,
    seconds: config.fitSeconds,
    armed: async (change, node) => {
      if (registry.hasOwnThresholds(node)) await nodes.changed(change, node, 'its thresholds are armed, and told to it');
    },
    ask: (node, message) => broker?.send(node.name, 'do', message) ?? false,
  });
  const forwarding = new Forwarding({
    ...{ store, database, registry, vault, events, log },
    allowed: config.outgoingAllow,
    newest: (point) => engine.state.newest.get(point),
  });
  await forwarding.forwards.load();
  const intake = new Intake(
    {
      database,
      registry,
      engine,
      events,
      log,
      note,
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

  broker = await openBroker({ config, log, later, registry, engine, nodes, fits, intake, adoptedNodes, readingAccounts, certificate });
  publishForReaders(broker, engine, readingAccounts.heardPoints());

  const [address] = config.publicOrigins;
  const site = async (): Promise<Site> => ({
    ...(((await database('site').first('name', 'timezone')) as Site | undefined) ?? { name: 'New site', timezone: 'UTC' }),
    ...(address !== undefined && { address }),
  });
  const watch = new StatusWatch({ config, database, registry, intake, engine, hub });

  const share: RequestHandler = (request, _response, next) => {
    const cookie = cookieOf(request, SHARE_COOKIE);
    if (cookie === null) return next();
    shares.byCookie(cookie).then((found) => {
      request.shareId = found?.id ?? null;
      next();
    }, next);
  };
  const allWell: AllWell = new AllWell({
    ...{ store, outbox, routePlans },
    handset: config.handsetUrl !== null,
    zone: () => registry.timezone,
    nameOf: (way) => ways.rules().find(({ id }) => id === way)?.name,
    openAlerts: () => engine.openAlerts(),
    nodes: () => ({ heard: watch.status().nodesHeard, written: watch.status().nodesWritten }),
  });
  jobs.add(allWell.job);
  let httpPort = config.httpPort;
  let httpsPort: number | null = null;
  const comers = new Comers();
  const serverId = randomToken();
  const rollouts = new Rollouts({
    store,
    registry,
    engine,
    nodes,
    runs,
    hub,
    log,
    tickMs: config.tickMs,
    profiles,
    timezone: async () => (await site()).timezone,
    imageAddress: () => `http://${config.nodeAddress}:${httpPort}/node/v1/image`,
  });
  const mqttPort = (): number => broker?.port ?? config.mqttPort;
  const parts = {
    events,
    isSecure: (host: string) => names.secure.has(host),
    store,
    database,
    config,
    mqttPort,
    httpPort: () => httpPort,
    profiles,
    registry,
    site,
    hub,
    engine,
    sessions,
    shares,
    vault,
    runs,
    rollouts,
    fits,
    nodes,
    ways,
    routePlans,
    lockouts,
    shelves,
    status: () => watch.status(),
  };
  const metrics = new Metrics({
    readingsPerMinute: () => intake.readingsPerMinute(),
    messagesWaiting: () => intake.messagesWaiting,
    nodesHeard: () => watch.status().nodesHeard,
    alertsOpen: () => engine.openAlerts().filter((alert) => !alert.journal).length,
    brokerConnections: () => broker?.connections() ?? 0,
    outboxWaiting: () => watch.outboxWaiting,
    databaseConnections: () => poolOf(database).numUsed(),
    databaseConnectionsFree: () => poolOf(database).numFree(),
  });
  const standins = config.standinsUrl === null ? null : standinsProxy(config.standinsUrl);
  const app = makeApp({
    log,
    names: () => names,
    trustedProxies: config.trustedProxies,
    session: sessions.middleware,
    noteComer: comers.note,
    serverId,
    share,
    nodeRoutes: nodeRoutes({
      database,
      nodes,
      intake,
      engine,
      postsPerSecond: config.nodePostsPerSecond,
      image: (node) => rollouts.offered(node),
      fit: (node, message) => fits.heard(node, message),
      images: imagesFolder(config.dataDirectory),
    }),
    stages: [
      liveRoutes(parts),
      accessRoutes(parts),
      sourceRoutes(parts),
      adoptedRoutes({ registry, adoptedNodes, readingAccounts }),
      nodeCareRoutes({ registry, care }),
      forwarding.routes,
      reachingRoutes({
        config,
        certificate,
        comers,
        serverId,
        ports: () => ({ http: httpPort, https: httpsPort, mqtt: mqttPort(), mqtts: broker?.tlsPort ?? null }),
        broker: () => broker,
      }),
      planRoutes(parts),
      provisionRoutes(parts),
      watchRoutes(parts),
      ...record.routes,
      respondRoutes(parts),
      calibrateRoutes({ database, registry, calibrations, holds }),
    ],
    standins: standins?.handle ?? null,
    health: () => watch.health(),
    metrics,
    webDirectory: config.webDirectory,
  });
  const { http, https } = httpServers({
    app,
    log,
    connectionsPerAddress: config.connectionsPerAddress,
    names: () => names,
    session: sessions.middleware,
    standins: standins ? (request, socket, head) => standins.upgrade(request, socket, head) : null,
    certificate,
  });
  await listen(http, config.httpPort, config.bind);
  if (https) await listen(https, config.httpsPort, config.bind);
  const port = portOf(http);
  httpPort = port;
  httpsPort = https ? portOf(https) : null;
  await rollouts.load();
  names = namesOf(config, port, https ? portOf(https) : null);
  certificate?.watch();
  record.start();
  forwarding.start();
  jobs.soon(allWell.job.name);
  await jobs.start();
  watch.start();
  engine.start();
  rollouts.start();
  runs.start();
  outbox.start();
  void outbox.poll();
  log.info({ http: port, mqtt: broker.port }, 'Dew Post is up');

  return {
    url: `http://${config.bind.includes(':') ? `[${config.bind}]` : config.bind}:${port}`,
    mqttPort: broker.port,
    httpsPort: https ? portOf(https) : null,
    mqttsPort: broker.tlsPort,
    routes: routesOf(app),
    async close() {
      holds.stop();
      lockouts.stop();
      shelves.stop();
      await jobs.stop();
      await forwarding.stop();
      await record.stop();
      watch.stop();
      hub.close();
      await intake.drain();
      await broker?.close();
      runs.stop();
      await rollouts.stop();
      await engine.stop();
      await outbox.stop();
      certificate?.stop();
      for (const door of [http, https]) {
        if (!door) continue;
        door.closeAllConnections();
        await new Promise<void>((resolve) => door.close(() => resolve()));
      }
      await sessions.close();
      await closeFoundation();
    },
  };
}
