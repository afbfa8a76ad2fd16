import { PICTURE_BYTES_MOST, type SitePlanReply } from '@dewpost/contract';
import { emptyPlan, sitePlanSchema, type SitePlan } from '@dewpost/core/site-plan';
import { createHash } from 'node:crypto';
import type { Database, Transaction } from '../database/connect';
import { pictureHeader, type PictureHeader } from '../pictures/picture';
import { ProblemError } from '../problem/problem';
import { ensureRoom } from '../nodes/make-nodes';

/** The plan in force; an empty one of version 0 where nothing was drawn. */
export async function currentPlan(database: Database | Transaction): Promise<SitePlanReply> {
  const row = (await database('site_plan').orderBy('version', 'desc').first('*')) as
    { version: number; body: unknown; made_by: string; made_at: Date } | undefined;
  if (!row) return { version: 0, madeBy: '', madeAt: null, plan: emptyPlan() };
  return { version: row.version, madeBy: row.made_by, madeAt: row.made_at.getTime(), plan: sitePlanSchema.parse(row.body) };
}

/** Saves the plan as its next version, and makes the rooms drawn on it. Throws 409 where someone saved since `base`. */
export async function savePlan(database: Database, base: number, plan: SitePlan, by: string): Promise<SitePlanReply> {
  const pictures = plan.floors.flatMap((floor) => (floor.picture ? [floor.picture.id] : []));
  await database.transaction(async (trx) => {
    await trx.raw("select pg_advisory_xact_lock(hashtext('site plan'))");
    const newest = await currentPlan(trx);
    if (newest.version !== base)
      throw new ProblemError(
        409,
        'Saved by someone else',
        `${newest.madeBy} saved version ${newest.version} since you began on version ${base}. Export your drawing, read theirs, and draw on it again.`,
      );
    const known = (await trx('site_picture').whereIn('id', pictures).select('id')) as { id: string }[];
    const missing = pictures.filter((id) => !known.some((row) => row.id === id));
    if (missing.length > 0)
      throw new ProblemError(
        422,
        'Cannot be used',
        'A picture of this plan is not kept here: import it again on its floor, or take it off.',
      );
    for (const floor of plan.floors) for (const room of floor.rooms) await ensureRoom(trx, room.name);
    await trx('site_plan').insert({ version: base + 1, body: JSON.stringify(plan), made_by: by });
  });
  return currentPlan(database);
}

const SIDE_MOST = 4096;

interface PictureRow extends PictureHeader {
  bytes: Buffer;
}

/** Keeps a picture under the digest of its bytes. Throws 422 for what is no picture or too large. */
export async function addPicture(
  database: Database,
  base64: string,
  by: string,
): Promise<{ id: string; widthPixels: number; heightPixels: number }> {
  const bytes = Buffer.from(base64, 'base64');
  const header = pictureHeader(bytes);
  if (!header) throw new ProblemError(422, 'Not a picture', 'The file is neither PNG nor JPEG: export the drawing as one of them.');
  if (bytes.length > PICTURE_BYTES_MOST || header.width > SIDE_MOST || header.height > SIDE_MOST || header.width < 16 || header.height < 16)
    throw new ProblemError(
      422,
      'Picture does not fit',
      `The picture has ${header.width} × ${header.height} points and ${Math.ceil(bytes.length / 1000)} kB: 16 to ${SIDE_MOST} points a side and ${PICTURE_BYTES_MOST / 1e6} MB are taken.`,
    );
  const id = createHash('sha256').update(bytes).digest('hex');
  await database('site_picture')
    .insert({ id, type: header.type, width: header.width, height: header.height, bytes, made_by: by })
    .onConflict('id')
    .ignore();
  return { id, widthPixels: header.width, heightPixels: header.height };
}

export const readPicture = async (database: Database, id: string): Promise<PictureRow | null> =>
  ((await database('site_picture').where({ id }).first('type', 'width', 'height', 'bytes')) as PictureRow | undefined) ?? null;
