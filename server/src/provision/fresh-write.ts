import type { Firmware, provision } from '@dewpost/contract';
import type { Catalogue } from '@dewpost/core/circuit';
import { ROM_FAMILIES } from '@dewpost/core/rom-loader';
import type * as z from 'zod';
import type { Database } from '../database/connect';
import { firstImageFor } from './firmware';

/** How a board that holds nothing of ours is written, as the bench wants it. */
export type FreshWrite = NonNullable<z.output<(typeof provision.begin)['reply']>['fresh']>;

/** How a board of this profile is written that holds nothing of ours; `null` where its profile knows no loader. */
export async function freshOf(
  database: Database,
  catalogue: Catalogue,
  board: string | null,
  library: readonly Firmware[],
): Promise<FreshWrite | null> {
  const profile = board === null ? undefined : catalogue.boards.get(board);
  const family = ROM_FAMILIES.find((one) => one === profile?.firstWrite);
  if (!profile || !family) return null;
  const first = await firstImageFor(database, profile.id);
  return { family, boot: profile.boot, flashBytes: profile.flashBytes, firmware: library.find(({ id }) => id === first?.id) ?? null };
}
