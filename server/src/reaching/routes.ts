import { reaching } from '@dewpost/contract';
import { Router } from 'express';
import { networkInterfaces } from 'node:os';
import type { Broker } from '../broker/hooks';
import { listensOnLoopback, type Config } from '../config/config';
import { bind } from '../http/bind';
import type { Certificate } from '../net/certificate';
import { isLoopback } from '../net/internal';
import { addressesOf, ownAddresses } from './addresses';
import { checkAddress } from './check';
import type { Comers } from './comers';

/** How this server is reached, and a check of it. */
export function reachingRoutes(parts: {
  config: Config;
  certificate: Certificate | null;
  comers: Comers;
  serverId: string;
  ports(): { http: number; https: number | null; mqtt: number; mqtts: number | null };
  broker(): Broker | null;
}): Router {
  const { config, certificate, comers, serverId } = parts;
  const router = Router();
  bind(router, reaching.read, () => {
    const ports = parts.ports();
    const doors = parts.broker()?.doors() ?? { plain: 0, tls: 0 };
    // A node's session says by which door it came, not under which name: it counts at what nodes are told.
    const told = (url: string): boolean => new URL(url.replace(/^mqtts?:/, 'http:')).hostname === config.nodeAddress;
    return {
      addresses: addressesOf(config, ports, ownAddresses(networkInterfaces())).map((one) => ({
        ...one,
        people: one.what === 'page' ? comers.by(new URL(one.url).host) : 0,
        nodes: one.what === 'broker' && told(one.url) ? (one.tls ? doors.tls : doors.plain) : 0,
        certified: one.tls && certificate ? certificate.isFor(new URL(one.url.replace(/^mqtts:/, 'https:')).hostname) : null,
      })),
      certificate: certificate
        ? {
            ...certificate.facts(),
            daysLeft: certificate.daysLeft(Date.now()),
            problem: certificate.problem,
          }
        : null,
      loopbackOnly: listensOnLoopback(config),
      nodeAddress: config.nodeAddress,
      nodeAddressReaches: !isLoopback(config.nodeAddress) && !listensOnLoopback(config),
      publicOrigins: config.publicOrigins,
      trustedProxies: config.trustedProxies,
      httpPort: ports.http,
    };
  });
  bind(router, reaching.check, ({ body }) => checkAddress(body.url, { own: ownAddresses(networkInterfaces()), serverId }));
  return router;
}
