import { boardSits } from '@dewpost/core/bench';
import { signal } from '@angular/core';
import * as z from 'zod';

/** Ports of this computer are numbered from here on, past the stand-ins'. */
export const FIRST_DEVICE = 1001;

const KEPT = 'dewpost.bench.boards';
const keptSchema = z.array(z.tuple([z.string(), z.number().int()]));

/** Which board sat at which port when this tab was read last; nothing where that cannot be read any more. */
function kept(): ReadonlyMap<string, number> {
  const text = sessionStorage.getItem(KEPT);
  if (text === null) return new Map();
  try {
    return new Map(keptSchema.parse(JSON.parse(text)));
  } catch {
    sessionStorage.removeItem(KEPT);
    return new Map();
  }
}

/** Ports at which boards of nodes sit that were begun and have not joined. Outlives a reload: a stopped board is still plugged in. */
export class BoardPorts {
  readonly at = signal(kept());
  /** The board of this node sits at `port`, or at none any more (`null`). */
  sits(node: string, port: number | null): void {
    this.at.update((before) => boardSits(before, node, port));
    // A port of this computer is given anew after a reload: its number is another's then.
    sessionStorage.setItem(KEPT, JSON.stringify([...this.at()].filter(([, at]) => at < FIRST_DEVICE)));
  }
}
