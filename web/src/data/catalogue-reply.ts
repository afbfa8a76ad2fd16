import type { plan } from '@dewpost/contract';
import type { Profile } from '@dewpost/core/circuit';
import type * as z from 'zod';

export type CatalogueReply = z.output<typeof plan.catalogue.reply>;

/** All profiles of the server's answer in one row, as `catalogueOf` takes them. */
export const profilesOf = ({ boards, parts, supplies, antennas, gateways }: CatalogueReply): Profile[] => [
  ...boards,
  ...parts,
  ...supplies,
  ...antennas,
  ...gateways,
];
