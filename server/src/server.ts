import type { Site, Status } from '@dewpost/contract';
import { doneSchema, fitSchema, haveSchema, helloSchema, logSchema, type Upward } from '@dewpost/core/wire';
import type { RequestHandler } from 'express';
import { createServer, type IncomingMessage, ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { pino } from 'pino';
import type { Duplex } from 'node:stream';
import { allowedHosts, comesFromThePage } from './access/doors';
import { accessRoutes } from './access/routes';
import { makeSessions } from './access/sessions';
import { Shares } from './access/shares';
import { makeVault, secretFile } from './access/vault';
import { listen, startBroker, type Broker } from './broker/broker';
import type { Config } from './config';
import { connect, migrate } from './database/connect';
import { Engine } from './engine/engine';
import { makeApp } from './http/app';
import { Intake } from './intake/intake';
import { nodeRoutes, readMessage } from './intake/node-routes';
import { Hub } from './live/hub';
import { liveRoutes } from './live/routes';
import { Outbox } from './outbox/outbox';
import { ensureFirstSheet } from './plan/climate-post';
import { Profiles, readProfiles } from './plan/profiles';
import { planRoutes } from './plan/routes';
import { ensureDemoFirmware } from './provision/firmware';
import { Fits } from './provision/fits';
import { Rollouts } from './provision/rollouts';
import { provisionRoutes } from './provision/routes';
import { Runs } from './provision/runs';
import { respondRoutes } from './respond/routes';
import { Nodes } from './site/nodes';
import { Registry, type NodeEntry } from './site/registry';
import { standinsProxy, standinsUpgrade } from './standins/proxy';
import { watchRoutes } from './watch/routes';
import { SHARE_COOKIE } from './watch/share-cookie';

export interface RunningServer {
  url: string;
  mqttPort: number;
  close(): Promise<void>;
}

const SHARD = 0;

/** Puts the house together and starts it: database, broker, engine, outbox, API and page in one process. */
export async function startServer(config: Config, fitting: 'needed' | 'taken as done' = 'needed'): Promise<RunningServer> {
  const log = pino({ level: config.logLevel });
  const database = connect(config.databaseUrl);
  await migrate(database);
  const profiles = new Profiles(database, readProfiles(config.catalogueDirectory));
  await ensureFirstSheet(database, await profiles.catalogue());
  // Made-up bytes are for stand-in boards: a real one must never be offered them.
  if (config.standinsUrl !== null) await ensureDemoFirmware(database, config.dataDirectory);

  const vault = makeVault(config.secretKey ?? secretFile(config.dataDirectory, 'secret.key'));
  const sessions = makeSessions(config.databaseUrl, secretFile(config.dataDirectory, 'session.key'));
  const registry = new Registry(fitting);
  await registry.load(database);
  const hub = new Hub();
  const shares = new Shares(database);

  // The outbox sends through the broker, which is started once all that it hands messages to stands.
  let broker: Broker | null = null;
  const outbox = new Outbox({
    database,
    log,
    handsetUrl: config.handsetUrl,
    sendCommand: (node, command) => broker?.send(node, 'do', command) ?? false,
    tell: (events) => hub.publish(events),
  });
  const engine = new Engine({ database, registry, hub, outbox, log, shard: SHARD, tickMs: config.tickMs, handsetUrl: config.handsetUrl });
  await engine.load();
  const nodes = new Nodes({ database, registry, engine, hub, vault });
  const runs = new Runs({ database, registry, hub, log, vault, config, profiles, mqttPort: () => broker?.port ?? config.mqttPort });
  nodes.onHello = (node) => runs.contact(node);
  nodes.onSettings = (node) => void broker?.send(node.name, 'set', nodes.settings(node), true);
  nodes.onRevoked = (node) => broker?.disconnect(node.name);
  const fits = new Fits({
    database,
    registry,
    engine,
    hub,
    log,
    profiles,
    runs,
    seconds: config.fitSeconds,
    armed: async (node) => {
      if (registry.ownThresholds(node).length > 0) await nodes.changed(node, 'its thresholds are armed, and told to it');
    },
    ask: (node, message) => broker?.send(node.name, 'do', message) ?? false,
  });
  const intake = new Intake(
    {
      database,
      registry,
      engine,
      log,
      refused: (node, why) => nodes.log(node, 'refused', why),
      judgeFirst: (trx, node, readings) => runs.judgeFirst(trx, node, readings),
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
        nodes.presence(node, true);
        broker?.send(node.name, 'set', nodes.settings(node), true);
      },
      gone: (node) => nodes.presence(node, false),
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

  const site = async (): Promise<Site> =>
    ((await database('site').first('name', 'timezone')) as Site | undefined) ?? { name: 'New site', timezone: 'UTC' };
  let standinsSeen = config.standinsUrl === null ? ('off' as const) : ('not answering' as Status['standins']);
  let databaseOk = true;
  const status = (): Status => {
    const all = [...registry.nodes.values()];
    return {
      broker: 'ok',
      database: databaseOk ? 'ok' : 'down',
      readingsPerMinute: intake.readingsPerMinute(),
      nodesHeard: all.filter((node) => node.heardAt !== null && !node.silent && node.state === 'proved').length,
      nodesWritten: all.filter((node) => node.state === 'proved' || node.state === 'written').length,
      standins: standinsSeen,
      nodePages: config.standinsUrl === null ? null : new URL(config.standinsUrl).origin,
      time: Date.now(),
    };
  };
  const statusTimer = setInterval(() => {
    void (async () => {
      databaseOk = await database.raw('select 1').then(
        () => true,
        () => false,
      );
      if (config.standinsUrl !== null) {
        standinsSeen = await fetch(new URL('/healthz', config.standinsUrl), { signal: AbortSignal.timeout(1500) }).then(
          (answer) => (answer.ok ? 'running' : 'not answering'),
          () => 'not answering' as const,
        );
      }
      hub.publish([{ type: 'status', status: status() }]);
    })();
  }, 2000);

  const share: RequestHandler = (request, _response, next) => {
    const cookie = cookieOf(request, SHARE_COOKIE);
    if (cookie === null) return next();
    shares.byCookie(cookie).then((found) => {
      request.shareId = found?.id ?? null;
      next();
    }, next);
  };
  let hosts: ReadonlySet<string> = new Set();
  let httpPort = config.httpPort;
  const rollouts = new Rollouts({
    database,
    registry,
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
    status,
  };
  const app = makeApp({
    log,
    hosts: () => hosts,
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
    }),
    stages: [liveRoutes(parts), accessRoutes(parts), planRoutes(parts), provisionRoutes(parts), watchRoutes(parts), respondRoutes(parts)],
    standins: config.standinsUrl === null ? null : standinsProxy(config.standinsUrl),
    health: async () => {
      const reachable = await database.raw('select 1').then(
        () => true,
        () => false,
      );
      return { ok: reachable, detail: { database: reachable ? 'ok' : 'down', broker: 'ok' } };
    },
    metrics: () =>
      metricsText({
        readings_last_minute: intake.readingsPerMinute(),
        nodes_heard: status().nodesHeard,
        alerts_open: engine.ledger.open().length,
      }),
    webDirectory: config.webDirectory,
  });
  const http = createServer(app);
  http.on('upgrade', (request: IncomingMessage, socket: Duplex, head: Buffer) => {
    const refuse = (code: string): void => void socket.end(`HTTP/1.1 ${code}\r\nConnection: close\r\n\r\n`);
    if (!request.url?.startsWith('/standins/') || config.standinsUrl === null) return refuse('404 Not Found');
    if (!comesFromThePage(request, hosts) || request.headers.origin === undefined) return refuse('403 Forbidden');
    const standinsUrl = config.standinsUrl;
    const quiet = new ServerResponse(request);
    void sessions.middleware(request as Parameters<RequestHandler>[0], quiet as Parameters<RequestHandler>[1], () => {
      const me = (request as Partial<Parameters<RequestHandler>[0]>).session?.me;
      if (me) standinsUpgrade(standinsUrl, request, socket, head);
      else refuse('401 Unauthorized');
    });
  });
  await listen(http, config.httpPort, config.bind);
  const port = (http.address() as AddressInfo).port;
  httpPort = port;
  await rollouts.load();
  hosts = allowedHosts(config, port);
  engine.start();
  rollouts.start();
  runs.start();
  outbox.start();
  void outbox.poll();
  log.info({ http: port, mqtt: broker.port }, 'Dew Post is up');

  return {
    url: `http://${config.bind.includes(':') ? `[${config.bind}]` : config.bind}:${port}`,
    mqttPort: broker.port,
    async close() {
      clearInterval(statusTimer);
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
      await database.destroy();
    },
  };
}

async function withMessage<M>(read: { message: M } | string, act: (message: M) => Promise<void>): Promise<string | null> {
  if (typeof read === 'string') return read;
  await act(read.message);
  return null;
}

function cookieOf(request: IncomingMessage, name: string): string | null {
  const found = (request.headers.cookie ?? '')
    .split(';')
    .map((part) => part.trim())
    .find((part) => part.startsWith(`${name}=`));
  return found ? decodeURIComponent(found.slice(name.length + 1)) : null;
}

const metricsText = (values: Record<string, number>): string =>
  Object.entries(values)
    .map(([name, value]) => `# TYPE dewpost_${name} gauge\ndewpost_${name} ${value}\n`)
    .join('');
