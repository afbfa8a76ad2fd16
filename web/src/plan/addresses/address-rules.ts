import type { Addressing, Subnet } from '@dewpost/contract';
import { addressProblem, ipv4ToNumber, subnetProblems } from '@dewpost/core/network';
import type { Finding } from '../../parts/zod-forms';

/** The subnet that a site begins with. */
export const SITE: Subnet = {
  id: 'site',
  network: '192.168.7.0',
  prefix: 24,
  router: '192.168.7.1',
  poolFirst: '192.168.7.100',
  poolLast: '192.168.7.199',
};
/** Where a node's address may come from, and what that means. */
export const HOW: readonly { how: Addressing['how']; says: string; why: string }[] = [
  {
    how: 'reserved',
    says: 'reserved at the router',
    why: 'The router keeps one address for each board: put the list below into it. A board that is replaced needs its line changed there.',
  },
  {
    how: 'static',
    says: 'written into the node',
    why: 'Joins faster and sleeps sooner: a battery node saves seconds at every wake. The addresses must stay out of the router’s pool.',
  },
  { how: 'router', says: 'whatever the router gives', why: 'Nothing to keep. A node is found by its name only, and joining takes longer.' },
];

/**
 * What is wrong over several fields at once: subnets that overlap, addresses that clash. They are `core`'s rules, the server has the same.
 * Nothing while a subnet is half typed.
 */
export function addressFindings(
  subnets: readonly Subnet[],
  addresses: Readonly<Record<string, string | null>>,
  nodes: readonly { node: string; subnet: string }[],
): Finding[] {
  const unfinished = ({ prefix, network, router }: Subnet): boolean =>
    prefix === null || [network, router].some((text) => ipv4ToNumber(text ?? '') === null);
  if (subnets.some(unfinished)) return [];
  const found: Finding[] = subnetProblems(subnets).map(({ at, text }) => ({ path: ['addressing', 'subnets', at], message: text }));
  const seen = new Map<string, string>();
  for (const { node, subnet: id } of nodes) {
    const address = addresses[node];
    const subnet = subnets.find((candidate) => candidate.id === id) ?? subnets[0];
    if (!address || !subnet) continue;
    const problem = addressProblem(subnet, address, seen, node);
    if (problem !== null) found.push({ path: ['addresses', node], message: problem });
    if (!seen.has(address)) seen.set(address, node);
  }
  return found;
}
