import type { RequestHandler, Router } from 'express';
import type { Server } from 'node:http';
import type { Server as TlsServer } from 'node:https';
import { accessRoutes } from '../access/routes';
import { makeSessions } from '../access/sessions';
import { Shares } from '../access/shares';
import { listen } from '../broker/broker';
import { calibrateRoutes } from '../calibrate/routes';
import { poolOf } from '../database/connect';
import type { Forwarding } from '../forward/forwarding';
import { makeApp } from '../http/app';
import { cookieOf } from '../http/cookie';
import { namesOf } from '../http/doors';
import { routesOf } from '../http/routes-of';
import { httpServers, portOf } from '../http/server';
import type { Intake } from '../intake/intake';
import { nodeRoutes } from '../intake/node-routes';
import { liveRoutes } from '../live/routes';
import type { Certificate } from '../net/certificate';
import { adoptedRoutes } from '../nodes/adopted-routes';
import { nodeCareRoutes } from '../nodes/node-care-routes';
import { sourceRoutes } from '../nodes/source-routes';
import { planRoutes } from '../plan/routes';
import { imagesFolder } from '../provision/firmware';
import { provisionRoutes } from '../provision/routes';
import { Comers } from '../reaching/comers';
import { reachingRoutes } from '../reaching/routes';
import { respondRoutes } from '../respond/routes';
import { standinsProxy } from '../standins/proxy';
import { randomToken, secretFile } from '../vault/vault';
import { watchRoutes } from '../watch/routes';
import { SHARE_COOKIE } from '../watch/share-cookie';
import type { Base } from './base';
import type { Equipment } from './equipment';
import type { Judgement } from './judgement';
import { Metrics } from './metrics';
import type { StatusWatch } from './status';

interface Parts {
  base: Base;
  judgement: Judgement;
  equipment: Equipment;
  intake: Intake;
  forwarding: Forwarding;
  /** What the kept record answers. */
  recordRoutes: readonly Router[];
  watch: StatusWatch;
  certificate: Certificate | null;
}

/** The doors of the page, the API and the nodes that post. */
export interface OpenPage {
  readonly httpPort: number;
  readonly httpsPort: number | null;
  /** Its routes, as `METHOD path`. */
  readonly routes: readonly string[];
  close(): Promise<void>;
}

/** Opens the page's doors; `opened` hears the port of the first as soon as it listens. Throws where a port is taken. */
export async function openPage(parts: Parts, opened: (httpPort: number) => void): Promise<OpenPage> {
  const { config, log, database } = parts.base;
  const { certificate } = parts;
  const ports = { http: config.httpPort, https: null as number | null };
  let names = namesOf(config, config.httpPort, certificate ? config.httpsPort : null);
  const sessions = makeSessions(database, config.databaseUrl, secretFile(config.dataDirectory, 'session.key'), (host) =>
    names.secure.has(host),
  );
  const shares = new Shares(database, parts.base.events);
  const comers = new Comers();
  const serverId = randomToken();
  const standins = config.standinsUrl === null ? null : standinsProxy(config.standinsUrl);
  const app = makeApp({
    ...{ log, serverId },
    names: () => names,
    trustedProxies: config.trustedProxies,
    session: sessions.middleware,
    noteComer: comers.note,
    share: shareOf(shares),
    nodeRoutes: forNodes(parts),
    stages: [
      ...stages(parts, { sessions, shares, ports, isSecure: (host) => names.secure.has(host) }),
      reachingRoutes({
        ...{ config, certificate, comers, serverId },
        ports: () => ({ ...ports, mqtt: parts.base.line.broker?.port ?? config.mqttPort, mqtts: parts.base.line.broker?.tlsPort ?? null }),
        broker: () => parts.base.line.broker,
      }),
    ],
    standins: standins?.handle ?? null,
    health: () => parts.watch.health(),
    metrics: metricsOf(parts),
    webDirectory: config.webDirectory,
  });
  const { http, https } = httpServers({
    ...{ app, log, certificate },
    connectionsPerAddress: config.connectionsPerAddress,
    names: () => names,
    session: sessions.middleware,
    standins: standins ? (request, socket, head) => standins.upgrade(request, socket, head) : null,
  });
  await listen(http, config.httpPort, config.bind);
  if (https) await listen(https, config.httpsPort, config.bind);
  ports.http = portOf(http);
  ports.https = https ? portOf(https) : null;
  names = namesOf(config, ports.http, ports.https);
  opened(ports.http);
  return {
    httpPort: ports.http,
    httpsPort: ports.https,
    routes: routesOf(app),
    async close() {
      for (const door of [http, https]) await closed(door);
      await sessions.close();
    },
  };
}

async function closed(door: Server | TlsServer | null): Promise<void> {
  if (!door) return;
  door.closeAllConnections();
  await new Promise<void>((resolve) => door.close(() => resolve()));
}

/** Puts the share link behind a request's cookie on it. */
const shareOf =
  (shares: Shares): RequestHandler =>
  (request, _response, next) => {
    const cookie = cookieOf(request, SHARE_COOKIE);
    if (cookie === null) return next();
    shares.byCookie(cookie).then((found) => {
      request.shareId = found?.id ?? null;
      next();
    }, next);
  };

const forNodes = ({ base: { config, database }, judgement: { engine }, equipment: { nodes, rollouts, fits }, intake }: Parts): Router =>
  nodeRoutes({
    ...{ database, nodes, intake, engine },
    postsPerSecond: config.nodePostsPerSecond,
    image: (node) => rollouts.offered(node),
    fit: (node, message) => fits.heard(node, message),
    images: imagesFolder(config.dataDirectory),
  });

/** The routes of the stages, a folder each. */
function stages(
  { base, judgement, equipment, forwarding, recordRoutes, watch }: Parts,
  page: {
    sessions: ReturnType<typeof makeSessions>;
    shares: Shares;
    ports: { readonly http: number };
    isSecure: (host: string) => boolean;
  },
): Router[] {
  const { database, registry, config, line } = base;
  const { adoptedNodes, readingAccounts, care, calibrations, holds } = equipment;
  const parts = {
    ...{ ...base, ...judgement, ...equipment, sessions: page.sessions, shares: page.shares, isSecure: page.isSecure },
    mqttPort: () => line.broker?.port ?? config.mqttPort,
    httpPort: () => page.ports.http,
    status: () => watch.status(),
  };
  return [
    liveRoutes(parts),
    accessRoutes(parts),
    sourceRoutes(parts),
    adoptedRoutes({ registry, adoptedNodes, readingAccounts }),
    nodeCareRoutes({ database, registry, care }),
    forwarding.routes,
    planRoutes(parts),
    provisionRoutes(parts),
    watchRoutes(parts),
    ...recordRoutes,
    respondRoutes(parts),
    calibrateRoutes({ database, registry, calibrations, holds }),
  ];
}

const metricsOf = ({ base: { database, line }, judgement: { engine }, intake, watch }: Parts): Metrics =>
  new Metrics({
    readingsPerMinute: () => intake.readingsPerMinute(),
    messagesWaiting: () => intake.messagesWaiting,
    nodesHeard: () => watch.status().nodesHeard,
    alertsOpen: () => engine.openAlerts().filter((alert) => !alert.journal).length,
    brokerConnections: () => line.broker?.connections() ?? 0,
    outboxWaiting: () => watch.outboxWaiting,
    databaseConnections: () => poolOf(database).numUsed(),
    databaseConnectionsFree: () => poolOf(database).numFree(),
  });
