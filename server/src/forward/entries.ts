import type { Forward, NewForward } from '@dewpost/contract';
import type { Transaction } from '../database/connect';
import type { PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';

type Omitted<T> = T extends unknown ? Omit<T, 'points' | 'password'> : never;
/** What is kept of a wish: its points are rows, and its password is sealed. */
export type ForwardSettings = Omitted<NewForward>;

/** Somebody that readings are forwarded to, as the running server knows it. */
export interface ForwardEntry {
  readonly id: number;
  version: number;
  settings: ForwardSettings;
  secretSealed: string | null;
  points: readonly number[];
  paused: boolean;
  sent: number;
  dropped: number;
  /** When the last messages went, ms, oldest first; as many as its cap counts. */
  recent: readonly number[];
  sentAt: number | null;
  failedAt: number | null;
  failure: string | null;
  readonly madeBy: string;
  readonly madeAt: number;
}

export interface ForwardRow {
  id: number;
  version: number;
  settings: ForwardSettings;
  secret_sealed: string | null;
  paused: boolean;
  sent: string;
  dropped: string;
  recent: number[];
  sent_at: Date | null;
  failed_at: Date | null;
  failure: string | null;
  made_by: string;
  made_at: Date;
}

export const entryOf = (row: ForwardRow, points: readonly number[]): ForwardEntry => ({
  id: row.id,
  version: row.version,
  settings: row.settings,
  secretSealed: row.secret_sealed,
  points,
  paused: row.paused,
  sent: Number(row.sent),
  dropped: Number(row.dropped),
  recent: row.recent,
  sentAt: row.sent_at?.getTime() ?? null,
  failedAt: row.failed_at?.getTime() ?? null,
  failure: row.failure,
  madeBy: row.made_by,
  madeAt: row.made_at.getTime(),
});

/** As pages see it: no secret. Points of nodes that were retired are left out. */
export function viewOf(entry: ForwardEntry, registry: Registry, waiting: number): Forward {
  const { settings, secretSealed, recent: _own, ...rest } = entry;
  const points = entry.points.filter((id) => registry.points.has(id));
  return { ...rest, points, settings: { ...settings, points }, hasPassword: secretSealed !== null, waiting };
}

/** Splits a wish into what is kept, the points and the secret; `undefined`: the secret stays as it is. */
export function partsOf(wanted: NewForward): { settings: ForwardSettings; password: string | undefined } {
  const { points: _rows, password, ...settings } = wanted;
  return { settings, password };
}

export async function writePoints(trx: Transaction, id: number, points: readonly PointEntry[]): Promise<void> {
  await trx('forward_point').where({ forward_id: id }).delete();
  await trx('forward_point').insert(points.map((point, place) => ({ forward_id: id, point_id: point.id, place })));
}
