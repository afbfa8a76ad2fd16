import type { Site } from '@dewpost/contract';
import { doneSchema, fitSchema, haveSchema, helloSchema, logSchema, type Upward } from '@dewpost/core/wire';
import type { RequestHandler } from 'express';
import type { AddressInfo } from 'node:net';
import { pino } from 'pino';
import { namesOf } from './http/doors';
import { accessRoutes } from './access/routes';
import { makeSessions } from './access/sessions';
import { Shares } from './access/shares';
import { secretFile } from './vault/vault';
import { layFoundation } from './compose/foundation';
import { keepTidy } from './compose/housekeeping';
import { Metrics } from './compose/metrics';
import { StatusWatch } from './compose/status';
import { listen, startBroker, type Broker } from './broker/broker';
import { poolOf } from './database/connect';
import type { Config } from './config/config';
import { Engine } from './engine/engine';
import { makeApp } from './http/app';
import { cookieOf } from './http/cookie';
import { routesOf } from './http/routes-of';
import { httpServer, type Upgrade } from './http/server';
import { Intake } from './intake/intake';
import { nodeRoutes, readMessage } from './intake/node-routes';
import { Events } from './events/events';
import { Hub } from './events/hub';
import { liveRoutes } from './live/routes';
import { Outbox } from './outbox/outbox';
import { ensureFirstSheet } from './plan/climate-post';
import { Profiles, readProfiles } from './plan/profiles';
import { planRoutes } from './plan/routes';
import { ensureDemoFirmware, imagesFolder } from './provision/firmware';
import { Fits } from './provision/fits';
import { Rollouts } from './provision/rollouts';
import { provisionRoutes } from './provision/routes';
import { Runs } from './provision/runs';
import { writeNodeLog } from './model/node-log';
import { respondRoutes } from './respond/routes';
import { Nodes } from './nodes/nodes';
import { sourceRoutes } from './nodes/source-routes';
import type { HouseEvents } from './model/house-events';
import { Registry, type NodeEntry } from './model/registry';
import { standinsProxy, standinsUpgrade } from './standins/proxy';
import { watchRoutes } from './watch/routes';
import { SHARE_COOKIE } from './watch/share-cookie';

export interface RunningServer {
  url: string;
  mqttPort: number;
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

  let names = namesOf(config, config.httpPort);
  const sessions = makeSessions(database, config.databaseUrl, secretFile(config.dataDirectory, 'session.key'), (host) =>
    names.secure.has(host),
  );
  const registry = new Registry(fitting);
  await registry.load(database);
  const hub = new Hub();
  const events: HouseEvents = new Events(log);
  const shares = new Shares(database, events);

  const later = (work: Promise<unknown>, words: string): void => void work.catch((error: unknown) => log.error({ err: error }, words));

  // The outbox sends through the broker, which is started once all that it hands messages to stands.
  let broker: Broker | null = null;
  const outbox = new Outbox({
    database,
    log,
    handsetUrl: config.handsetUrl,
    sendCommand: (node, command) => broker?.send(node, 'do', command) ?? false,
    sendSettings: (name) => {
      const node = registry.nodes.get(name);
      if (node) broker?.send(name, 'set', nodes.settings(node), true);
    },
    tell: (events) => hub.publish(events),
  });
  const engine = new Engine({
    store,
    registry,
    hub,
    outbox,
    events,
    log,
    shard: SHARD,
    tickMs: config.tickMs,
    handsetUrl: config.handsetUrl,
  });
  await engine.load();
  const nodes = new Nodes({ store, registry, engine, hub, vault, events });
  const runs = new Runs({ store, registry, engine, hub, log, vault, config, profiles, mqttPort: () => broker?.port ?? config.mqttPort });
  events.on('hello', (node) => runs.contact(node));
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
  const intake = new Intake(
    {
      database,
      registry,
      engine,
      events,
      log,
      note: (lines) =>
        void writeNodeLog(database, lines).catch((error: unknown) => log.error({ err: error }, 'log lines were not written')),
      judgeFirst: (change, node, readings) => runs.judgeFirst(change, node, readings),
    },
    log,
  );

  broker = await startBroker(
    { bind: config.bind, port: config.mqttPort, connectionsPerAddress: config.connectionsPerAddress, log },
    {
      authenticate: (name, key) => nodes.authenticate(name, key),
      received: (node, channel, payload) => fromBroker(node, channel, payload),
      leafOf: (gateway, name) => {
        const leaf = registry.nodes.get(name);
        return leaf?.gateway === gateway.name ? leaf : null;
      },
      connected: (node) => {
        later(nodes.presence(node, true), 'a node has come, and it could not be noted');
        broker?.send(node.name, 'set', nodes.settings(node), true);
      },
      gone: (node) => later(nodes.presence(node, false), 'a node has gone, and it could not be noted'),
      refused: (node, why) =>
        void nodes.log(node, 'refused', why).catch((error: unknown) => log.error({ err: error }, 'a log line was not written')),
    },
  );

  const fromBroker = async (node: NodeEntry, channel: Upward, payload: Buffer): Promise<void> => {
    const text = payload.toString('utf8');
    if (channel === 'up') {
      const verdict = await intake.add({ node, body: text, arrivedAt: Date.now() });
      if (verdict.refused.length > 0 || verdict.clockOff) {
        broker?.send(node.name, 'refused', { refused: verdict.refused.slice(0, 50), ...(verdict.clockOff && { serverTime: Date.now() }) });
      }
      return;
    }
    const act = {
      hello: () => withMessage(readMessage(helloSchema, text), (message) => nodes.hello(node, message)),
      have: () => withMessage(readMessage(haveSchema, text), (message) => nodes.have(node, message)),
      fit: () => withMessage(readMessage(fitSchema, text), (message) => fits.heard(node, message)),
      done: () => withMessage(readMessage(doneSchema, text), (message) => engine.readBack(node, message)),
      log: () => withMessage(readMessage(logSchema, text), (message) => nodes.log(node, message.level, message.text)),
      gone: () => Promise.resolve(null),
    }[channel];
    const problem = await act();
    if (problem === null) return;
    await nodes.log(node, 'refused', `${channel}: ${problem}`);
    broker?.send(node.name, 'refused', { refused: [{ point: null, why: `${channel}: ${problem}` }] });
  };

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
  let httpPort = config.httpPort;
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
  const app = makeApp({
    log,
    names: () => names,
    trustedProxies: config.trustedProxies,
    session: sessions.middleware,
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
      sourceRoutes({ ...parts, httpPort: () => httpPort }),
      planRoutes(parts),
      provisionRoutes(parts),
      watchRoutes(parts),
      respondRoutes(parts),
    ],
    standins: config.standinsUrl === null ? null : standinsProxy(config.standinsUrl),
    health: () => watch.health(),
    metrics,
    webDirectory: config.webDirectory,
  });
  const http = httpServer({
    app,
    log,
    connectionsPerAddress: config.connectionsPerAddress,
    names: () => names,
    session: sessions.middleware,
    standins: upgradeTo(config.standinsUrl),
  });
  await listen(http, config.httpPort, config.bind);
  const port = (http.address() as AddressInfo).port;
  httpPort = port;
  await rollouts.load();
  names = namesOf(config, port);
  const stopTidying = keepTidy(database, log);
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
    routes: routesOf(app),
    async close() {
      stopTidying();
      watch.stop();
      hub.close();
      await intake.drain();
      await broker?.close();
      runs.stop();
      await rollouts.stop();
      await engine.stop();
      await outbox.stop();
      http.closeAllConnections();
      await new Promise<void>((resolve) => http.close(() => resolve()));
      await sessions.close();
      await closeFoundation();
    },
  };
}

/** The WebSocket way to the stand-ins' ports, where there are any. */
const upgradeTo = (standinsUrl: string | null): Upgrade | null =>
  standinsUrl === null ? null : (request, socket, head) => standinsUpgrade(standinsUrl, request, socket, head);

async function withMessage<M>(read: { message: M } | string, act: (message: M) => Promise<void>): Promise<string | null> {
  if (typeof read === 'string') return read;
  await act(read.message);
  return null;
}
