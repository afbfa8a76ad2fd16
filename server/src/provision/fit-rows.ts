import { pictureHeader } from '../pictures/picture';
import type { Database, Transaction } from '../database/connect';
import { notFound, ProblemError } from '../problem/problem';
import type { NodeEntry } from '../model/entries';
import type { Store } from '../store/change';

/** Photos that are kept of a node. */
const MOST_PHOTOS = 24;
const NOTE_LENGTH = 200;

/** A photo of a node in its place, as it is sent. */
export interface Photo {
  readonly type: string;
  readonly bytes: Buffer;
  readonly note: string;
  readonly by: string;
}

interface FitRows {
  row: { fitted_at: Date | null; fitted_by: string | null; written_at: Date | null };
  checks: { need: string; passed: boolean; possible: boolean; detail: string; by_whom: string; at: Date }[];
  photos: { id: number; at: Date; by_whom: string; note: string }[];
}

/** What was seen of a node in its place since it was written, and its photos. */
export async function fitRows(database: Database | Transaction, node: NodeEntry): Promise<FitRows> {
  const row = (await database('node').where({ id: node.id }).first('fitted_at', 'fitted_by', 'written_at')) as FitRows['row'];
  const checks = (await database('fit_check')
    .where({ node_id: node.id })
    .where('at', '>=', row.written_at ?? new Date(0))
    .orderBy('id')) as FitRows['checks'];
  const photos = (await database('node_photo')
    .where({ node_id: node.id })
    .orderBy('id')
    .select('id', 'at', 'by_whom', 'note')) as FitRows['photos'];
  return { row, checks, photos };
}

/** Keeps a photo, and gives its id. Throws 422 where it is no picture, 409 where there are enough. */
export async function keepPhoto(store: Store, node: NodeEntry, { type, bytes, note, by }: Photo): Promise<number> {
  if (pictureHeader(bytes)?.type !== type) throw new ProblemError(422, 'No picture', 'Send a JPEG or PNG picture.');
  return store.commitInTurn(`photos of ${node.name}`, async ({ trx }) => {
    const [kept] = (await trx('node_photo').where({ node_id: node.id }).count('id as number')) as { number: number }[];
    if (Number(kept?.number) >= MOST_PHOTOS)
      throw new ProblemError(409, 'Enough photos', `${node.name} has ${MOST_PHOTOS} photos: remove one first.`);
    const [row] = (await trx('node_photo')
      .insert({ node_id: node.id, by_whom: by, note: note.slice(0, NOTE_LENGTH), type, bytes })
      .returning('id')) as { id: number }[];
    if (!row) throw new Error('a photo was not written');
    return row.id;
  });
}

export async function dropPhoto(database: Database, node: NodeEntry, id: number): Promise<void> {
  if ((await database('node_photo').where({ node_id: node.id, id }).delete()) === 0) throw notFound(`photo ${id} of ${node.name}`);
}

export async function readPhoto(database: Database, node: NodeEntry, id: number): Promise<Pick<Photo, 'type' | 'bytes'>> {
  const row = (await database('node_photo').where({ node_id: node.id, id }).first('type', 'bytes')) as
    Pick<Photo, 'type' | 'bytes'> | undefined;
  if (!row) throw notFound(`photo ${id} of ${node.name}`);
  return row;
}
