import type { ReachedAddress } from '@dewpost/contract';
import { isIP, isIPv6 } from 'node:net';
import type { NetworkInterfaceInfo } from 'node:os';
import type { Config } from '../config/config';
import { isInternal, isLoopback } from '../net/internal';

/** This machine's own addresses, the loopback ones left out. */
export const ownAddresses = (interfaces: NodeJS.Dict<NetworkInterfaceInfo[]>): string[] =>
  Object.values(interfaces).flatMap((all) =>
    (all ?? []).flatMap(({ address, internal: loops }) => (loops || address.startsWith('fe80') ? [] : [address])),
  );

const host = (name: string): string => (isIPv6(name) ? `[${name}]` : name);
/** An address as a browser writes it: the usual port is left out. */
const url = (scheme: string, name: string, port: number): string =>
  `${scheme}://${host(name)}${(scheme === 'http' && port === 80) || (scheme === 'https' && port === 443) ? '' : `:${port}`}`;

/** How far a name reaches when the server listens where it does. */
const reachOf = (name: string): ReachedAddress['reach'] =>
  isLoopback(name) ? 'computer' : isIP(name) !== 0 && !isInternal(name) ? 'outside' : 'building';

/**
 * Every address under which pages and nodes reach this server, nearest first. Names are the configured ones and this machine's own; those
 * that only stand before another listener (a public URL) reach from outside.
 */
export function addressesOf(
  config: Pick<Config, 'bind' | 'hosts' | 'nodeAddress' | 'publicOrigins'>,
  ports: { http: number; https: number | null; mqtt: number; mqtts: number | null },
  own: readonly string[],
): Omit<ReachedAddress, 'people' | 'nodes' | 'certified'>[] {
  const everywhere = ['0.0.0.0', '::'].includes(config.bind);
  const listening = everywhere ? ['127.0.0.1', ...own] : isLoopback(config.bind) ? ['127.0.0.1'] : [config.bind];
  const far = isLoopback(config.bind) ? [] : [...config.hosts, config.nodeAddress].filter((name) => !isLoopback(name));
  const names = [...new Set([...listening, ...far])].map((name) => name.replace(/:\d+$/, (port) => (isIPv6(name) ? port : '')));
  const doors = [
    { what: 'page' as const, scheme: 'http', port: ports.http, tls: false },
    { what: 'page' as const, scheme: 'https', port: ports.https, tls: true },
    { what: 'broker' as const, scheme: 'mqtt', port: ports.mqtt, tls: false },
    { what: 'broker' as const, scheme: 'mqtts', port: ports.mqtts, tls: true },
  ];
  const order = { computer: 0, building: 1, outside: 2 };
  const direct = doors.flatMap(({ what, scheme, port, tls }) =>
    port === null ? [] : names.map((name) => ({ url: url(scheme, name, port), what, tls, reach: reachOf(name) })),
  );
  const known = new Set(direct.map((one) => one.url));
  const published = config.publicOrigins
    .filter((origin) => !known.has(origin))
    .map((origin) => {
      const { hostname, protocol } = new URL(origin);
      const reach: ReachedAddress['reach'] = isLoopback(hostname)
        ? 'computer'
        : isIP(hostname) !== 0 && isInternal(hostname)
          ? 'building'
          : 'outside';
      return { url: origin, what: 'page' as const, tls: protocol === 'https:', reach };
    });
  const all = [...direct, ...published];
  return all.sort(
    (a, b) => Number(a.what === 'broker') - Number(b.what === 'broker') || order[a.reach] - order[b.reach] || Number(a.tls) - Number(b.tls),
  );
}
