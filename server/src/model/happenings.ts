import type { Happening } from '@dewpost/contract';
import type { Database, Transaction } from '../database/connect';
import { notFound, ProblemError } from '../problem/problem';
import type { NodeEntry, PointEntry } from './entries';

/** So many of each are shown of a span, the newest. */
const MOST = 300;

interface Row {
  id: number;
  point_id: number | null;
  at: Date;
  kind: Happening['kind'];
  text: string;
  made_by: string | null;
}

interface Span {
  readonly from: number;
  readonly to: number;
}

const viewOf = ({ id, point_id: point, at, kind, text, made_by: by }: Row): Happening => ({
  ...{ id, at: at.getTime(), kind, text, by },
  ofNode: point === null,
});

/** What happened at a point, or to its whole node, within a span of time (ms): the newest first. */
export async function happeningsAt(database: Database, { id, node }: PointEntry, { from, to }: Span): Promise<Happening[]> {
  const rows = (await database('happening')
    .where({ node_id: node.id })
    .whereBetween('at', [new Date(from), new Date(to)])
    .andWhere((which) => void which.whereNull('point_id').orWhere('point_id', id))
    .orderBy('at', 'desc')
    .limit(MOST)) as Row[];
  return rows.map(viewOf);
}

/** A clock at the other end may be so far ahead, ms. */
const AHEAD_MS = 300_000;

/** Keeps a note of somebody. Throws 422 for a time that lies ahead. */
export async function addNote(
  database: Database,
  { id, node }: PointEntry,
  { at, text, ofNode }: { at: number; text: string; ofNode: boolean },
  by: string,
): Promise<Happening> {
  if (at > Date.now() + AHEAD_MS)
    throw new ProblemError(422, 'Cannot be used', 'A note is of something that happened: this time lies ahead.', [
      { path: 'body.at', message: 'this time lies ahead' },
    ]);
  const [row] = (await database('happening')
    .insert({ node_id: node.id, point_id: ofNode ? null : id, at: new Date(at), kind: 'note', text, made_by: by })
    .returning('*')) as Row[];
  if (!row) throw new Error('a note was not written');
  return viewOf(row);
}

/** Takes a note away. Throws 404 where there is none, 403 where it is somebody else's and `me` is no maker. */
export async function removeNote(database: Database, id: number, me: { name: string; role: string }): Promise<void> {
  const note = (await database('happening').where({ id, kind: 'note' }).first('made_by')) as { made_by: string } | undefined;
  if (!note) throw notFound(`note ${id}`);
  if (me.role !== 'maker' && note.made_by !== me.name)
    throw new ProblemError(403, 'Not yours', `${note.made_by} wrote this note: they or a maker may take it away.`);
  await database('happening').where({ id }).delete();
}

/** A node runs another firmware than when it started last. */
export const keepFirmware = (trx: Transaction, node: NodeEntry, from: string, to: string, at: number): Promise<unknown> =>
  trx('happening').insert({ node_id: node.id, at: new Date(at), kind: 'firmware', text: `${from} → ${to}` });

/**
 * When these outputs were on within a span of time (ms), by what was read back of them; what was on before it is told from when it went on. `to`:
 * `null` while it still is. Outputs are recorded where they change: however long the span, there are few.
 */
export async function switchedWithin(
  database: Database,
  outputs: readonly number[],
  { from, to }: Span,
): Promise<{ output: number; from: number; to: number | null }[]> {
  if (outputs.length === 0) return [];
  const { rows } = await database.raw<{ rows: { output: number; from: number; to: number | null }[] }>(
    `select point_id as output, extract(epoch from at) * 1000 as "from", extract(epoch from ends) * 1000 as "to" from (
       select point_id, at, value, lead(at) over (partition by point_id order by at) as ends
       from (
         select o.id as point_id, r.at, r.value, lag(r.value) over (partition by o.id order by r.at) as before
         from unnest(?::int[]) as o(id)
         left join lateral (select max(at) as at from reading where point_id = o.id and at < ?) e on true
         join reading r on r.point_id = o.id and r.at >= coalesce(e.at, '-infinity') and r.at <= ?
       ) r where before is distinct from value
     ) s where value >= 0.5 order by at desc limit ?`,
    [[...outputs], new Date(from), new Date(to), MOST],
  );
  return rows.map((row) => ({ output: row.output, from: Number(row.from), to: row.to === null ? null : Number(row.to) }));
}
