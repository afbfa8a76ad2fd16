/** An IPv4 address as an unsigned number; `null` for what is none. Four decimal numbers without leading zeros. */
export function ipv4ToNumber(text: string): number | null {
  const parts = text.split('.');
  if (parts.length !== 4 || parts.some((part) => !/^(0|[1-9]\d{0,2})$/.test(part) || Number(part) > 255)) return null;
  return parts.reduce((sum, part) => sum * 256 + Number(part), 0);
}

/** The address of an unsigned number. */
export const numberToIpv4 = (value: number): string => [24, 16, 8, 0].map((shift) => (value >>> shift) & 255).join('.');

/** Addresses in a block. */
export const blockSize = (prefix: number): number => 2 ** (32 - prefix);

/** Addresses that hosts may have: without network and broadcast, but both of a /31 (RFC 3021) and the one of a /32. */
export const usableHosts = (prefix: number): number => (prefix >= 31 ? blockSize(prefix) : blockSize(prefix) - 2);

/** Netmask of a prefix. */
export const netmaskOf = (prefix: number): string => numberToIpv4(prefix === 0 ? 0 : (0xffffffff << (32 - prefix)) >>> 0);

const masked = (address: string, prefix: number): number | null => {
  const value = ipv4ToNumber(address);
  return value === null ? null : Math.floor(value / blockSize(prefix)) * blockSize(prefix);
};

/** First address of the block an address lies in; `null` for what is no address. */
export function networkAddress(address: string, prefix: number): string | null {
  const base = masked(address, prefix);
  return base === null ? null : numberToIpv4(base);
}

/** Last address of the block an address lies in; `null` for what is no address. */
export function broadcastAddress(address: string, prefix: number): string | null {
  const base = masked(address, prefix);
  return base === null ? null : numberToIpv4(base + blockSize(prefix) - 1);
}

/** Is this one of the private blocks 10/8, 172.16/12, 192.168/16? Link-local and carrier-grade blocks are not. Source: RFC 1918 §3. */
export const isPrivate = (address: string): boolean =>
  [['10.0.0.0', 8] as const, ['172.16.0.0', 12] as const, ['192.168.0.0', 16] as const].some(
    ([block, prefix]) => networkAddress(address, prefix) === block,
  );

/** Addresses from first to last, both counted; `null` where one is no address. */
export function poolSize(first: string, last: string): number | null {
  const [a, b] = [ipv4ToNumber(first), ipv4ToNumber(last)];
  return a === null || b === null ? null : Math.max(0, b - a + 1);
}

/** A site's addresses: its subnet, the router, and the range the router hands out by itself. */
export interface AddressPlan {
  readonly network: string;
  readonly prefix: number;
  readonly router: string;
  readonly poolFirst: string;
  readonly poolLast: string;
}

/** Why a node may not have this address, with what to do; `null` where it may. `taken` names who has which. */
export function addressProblem(plan: AddressPlan, address: string, taken: ReadonlyMap<string, string>, node: string): string | null {
  const value = ipv4ToNumber(address);
  if (value === null) return `${address} is no address: four numbers from 0 to 255 with full stops.`;
  if (networkAddress(address, plan.prefix) !== networkAddress(plan.network, plan.prefix))
    return `${address} is not in ${networkAddress(plan.network, plan.prefix)}/${plan.prefix}.`;
  if (address === networkAddress(plan.network, plan.prefix)) return `${address} is the network itself.`;
  if (address === broadcastAddress(plan.network, plan.prefix)) return `${address} is the broadcast address.`;
  if (address === plan.router) return `${address} is the router.`;
  const [first, last] = [ipv4ToNumber(plan.poolFirst), ipv4ToNumber(plan.poolLast)];
  if (first !== null && last !== null && value >= first && value <= last)
    return `${address} lies in the router's own pool ${plan.poolFirst} to ${plan.poolLast}: the router may give it to something else.`;
  const other = taken.get(address);
  return other !== undefined && other !== node ? `${address} is ${other}'s.` : null;
}

/** The next addresses that are free, in order, outside the pool: `count` of them, fewer where the subnet is full. */
export function freeAddresses(plan: AddressPlan, taken: ReadonlyMap<string, string>, count: number): string[] {
  const base = ipv4ToNumber(networkAddress(plan.network, plan.prefix) ?? '');
  const found: string[] = [];
  if (base === null) return found;
  for (let i = 1; i < blockSize(plan.prefix) - 1 && found.length < count; i++) {
    const address = numberToIpv4(base + i);
    if (addressProblem(plan, address, taken, '') === null) found.push(address);
  }
  return found;
}

/** What is wrong with a list of subnets: outside the private blocks, router or pool outside, or two that overlap (a gateway's must stand apart). `at` is the index. */
export function subnetProblems(subnets: readonly (AddressPlan & { readonly id: string })[]): { at: number; text: string }[] {
  return subnets.flatMap((subnet, at) => {
    const inside = (address: string): boolean => networkAddress(address, subnet.prefix) === networkAddress(subnet.network, subnet.prefix);
    const size = `${networkAddress(subnet.network, subnet.prefix) ?? subnet.network}/${subnet.prefix}`;
    const texts: string[] = [];
    if (!isPrivate(subnet.network)) texts.push(`${size} is not a private block (RFC 1918): use one of 10/8, 172.16/12 or 192.168/16.`);
    if (!inside(subnet.router)) texts.push(`the router ${subnet.router} is not in ${size}.`);
    for (const address of [subnet.poolFirst, subnet.poolLast]) if (!inside(address)) texts.push(`the pool's ${address} is not in ${size}.`);
    const [router, first, last] = [subnet.router, subnet.poolFirst, subnet.poolLast].map(ipv4ToNumber);
    if (router != null && first != null && last != null && router >= first && router <= last)
      texts.push(`the router ${subnet.router} lies in its own pool: it may give its own address away.`);
    if (poolSize(subnet.poolFirst, subnet.poolLast) === 0) texts.push(`the pool ends before it begins.`);
    const wider = (other: AddressPlan): number => Math.min(subnet.prefix, other.prefix);
    const over = subnets.find(
      (other, i) => i < at && networkAddress(subnet.network, wider(other)) === networkAddress(other.network, wider(other)),
    );
    if (over) texts.push(`${size} overlaps the subnet of ${over.id}: a node could not tell which of the two it talks to.`);
    return texts.map((text) => ({ at, text }));
  });
}
