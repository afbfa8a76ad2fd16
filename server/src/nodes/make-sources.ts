import type { SheetPoint, SourcePoint } from '@dewpost/contract';
import { slug } from '@dewpost/core/naming';
import type { Transaction } from '../database/connect';
import type { NodeEntry } from '../model/entries';
import { ProblemError } from '../problem/problem';
import { digestOf, randomToken, type Vault } from '../vault/vault';
import { ensureRoom } from './make-nodes';

/** How often a source is expected to say something, s: two that were missed are silence. */
const REPORT_SECONDS = 900;
const ID_LENGTH = 32;
/** What a source sends may be anything: no sensor says where it ends. */
const WIDEST = 1e12;
const POINTS_MOST = 200;

/** `confirm`: what is only told when it changes holds meanwhile. */
export type DeclaredPoint = SourcePoint & { confirm?: SheetPoint['confirm'] };

/** A declared point as the points of a sheet are: measured, never stuck, never a spike. */
const bodyOf = ({ name, label, unit, min, max, confirm = 'readings' }: DeclaredPoint): SheetPoint => ({
  name,
  label,
  kind: 'measured',
  unit,
  min,
  max,
  decimals: max - min >= 1000 ? 0 : max - min >= 20 ? 1 : 2,
  physicalMin: -WIDEST,
  physicalMax: WIDEST,
  spikeStep: null,
  raw: null,
  spikeWindow: null,
  stuckAfterSeconds: null,
  restsAt: null,
  confirm,
  protective: false,
  thresholds: [],
  derived: null,
  output: null,
});

/** An id that nobody has, from the words of a name. */
export function freeId(name: string, taken: ReadonlySet<string>): string {
  const stem = slug(name).slice(0, ID_LENGTH).replace(/-+$/, '') || 'source';
  if (!taken.has(stem)) return stem;
  for (let n = 2; ; n++) {
    const id = `${stem.slice(0, ID_LENGTH - 4).replace(/-+$/, '')}-${n}`;
    if (!taken.has(id)) return id;
  }
}

/**
 * Makes a source: a node that needs neither bench nor fit, since there is nothing to write and nothing to hang up. Gives its id and its
 * key. It is armed from the start. What is adopted is made like it: its firmware stays as it is.
 */
export async function makeSource(
  trx: Transaction,
  vault: Vault,
  wanted: { name: string; room: string; points: readonly SourcePoint[] },
  kind: 'source' | 'adopted' | 'computed' = 'source',
): Promise<{ id: string; key: string }> {
  // Ids are account names at the broker, and so are those of reading accounts.
  const nodes = (await trx('node').select('name')) as { name: string }[];
  const accounts = (await trx('reader').select('account')) as { account: string }[];
  const taken = new Set([...nodes.map(({ name }) => name), ...accounts.map(({ account }) => account)]);
  const id = freeId(wanted.name, taken);
  const key = randomToken();
  const [row] = (await trx('node')
    .insert({
      name: id,
      title: wanted.name,
      kind,
      room_id: await ensureRoom(trx, wanted.room),
      build_sheet_id: null,
      key_digest: digestOf(key),
      key_sealed: vault.seal(key),
      report_seconds: REPORT_SECONDS,
      state: 'proved',
      fitted_at: trx.fn.now(),
    })
    .returning('id')) as { id: number }[];
  if (!row) throw new Error('a source was not written');
  await insertPoints(trx, row.id, 0, wanted.points);
  return { id, key };
}

/** Declares further points of a source. Throws 409 for a name that it has, 422 for what is no source, or for too many. */
export async function addSourcePoints(trx: Transaction, source: NodeEntry, points: readonly SourcePoint[]): Promise<void> {
  if (source.kind !== 'source')
    throw new ProblemError(422, 'No source', `${source.name} has a board: its points follow from its build sheet, change that instead.`);
  const known = points.filter(({ name }) => source.points.has(name));
  if (known.length > 0)
    throw new ProblemError(
      409,
      'Point known',
      `${source.name} has ${known.map(({ name }) => name).join(', ')} already: choose another name.`,
    );
  if (source.points.size + points.length > POINTS_MOST)
    throw new ProblemError(422, 'Too many points', `A source has ${POINTS_MOST} points at most: make a second one.`);
  await insertPoints(trx, source.id, source.points.size, points);
}

export async function insertPoints(trx: Transaction, node: number, from: number, points: readonly DeclaredPoint[]): Promise<void> {
  if (points.length === 0) return;
  await trx('point').insert(
    points.map((point, i) => ({ node_id: node, place: from + i, name: point.name, body: JSON.stringify(bodyOf(point)) })),
  );
}
