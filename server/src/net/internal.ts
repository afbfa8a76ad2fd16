import { BlockList, isIP, isIPv6 } from 'node:net';

/** Addresses that lead nowhere outside of a building: private, link-local, loopback, shared and reserved (RFC 6890, RFC 4193). */
const internal = new BlockList();
for (const [network, prefix] of [
  ['0.0.0.0', 8],
  ['10.0.0.0', 8],
  ['100.64.0.0', 10],
  ['127.0.0.0', 8],
  ['169.254.0.0', 16],
  ['172.16.0.0', 12],
  ['192.0.0.0', 24],
  ['192.168.0.0', 16],
  ['198.18.0.0', 15],
  ['224.0.0.0', 4],
  ['240.0.0.0', 4],
] as const)
  internal.addSubnet(network, prefix, 'ipv4');
for (const [network, prefix] of [
  ['::', 128],
  ['::1', 128],
  ['fc00::', 7],
  ['fe80::', 10],
  ['ff00::', 8],
] as const)
  internal.addSubnet(network, prefix, 'ipv6');

/** An IPv4 address that is written as an IPv6 one, as it is. */
const plain = (address: string): string => /^::ffff:(\d+\.\d+\.\d+\.\d+)$/i.exec(address)?.[1] ?? address;

/** Does this address lie inside a building, or nowhere? Anything that is no address counts as inside. */
export function isInternal(address: string): boolean {
  const one = plain(address);
  if (isIP(one) === 0) return true;
  return internal.check(one, isIPv6(one) ? 'ipv6' : 'ipv4');
}

/** A host as it is looked up: without the brackets that an address of IPv6 has in a URL. */
export const bareHost = (host: string): string => host.replace(/^\[|\]$/g, '').toLowerCase();

export const isLoopback = (name: string): boolean =>
  name === 'localhost' || plain(name).startsWith('127.') || name === '::1' || name === '[::1]';
