import type { addressesReply } from '@dewpost/contract';
import type * as z from 'zod';
import { type Subnet } from '@dewpost/contract';
import { type Difference, differences } from '../../parts/changed-meanwhile';

export type AddressesReply = z.output<typeof addressesReply>;

/** What differs between the addresses that were typed and those that somebody else has kept meanwhile. */
export function apartFrom(
  theirs: AddressesReply,
  plan: { how: 'static' | 'reserved' | 'router'; subnets: Subnet[] },
  addresses: Readonly<Record<string, string | null | undefined>>,
): Difference[] {
  const rows = new Map(theirs.nodes.map(({ node, address }) => [node, address ?? '']));
  const names = [...rows.keys()];
  return [
    ...differences({ how: 'where an address comes from', subnets: 'subnets' }, plan, theirs.addressing ?? { how: 'reserved', subnets: [] }),
    ...differences(
      Object.fromEntries(names.map((node) => [node, node])),
      Object.fromEntries(names.map((node) => [node, addresses[node] ?? ''])),
      Object.fromEntries(rows),
    ),
  ];
}
