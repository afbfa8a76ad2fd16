import { sitePlanSchema } from '@dewpost/core/site-plan';
import * as z from 'zod';
import { endpoint } from './endpoint';

/** A drawn site and its pictures are the largest things that are sent as JSON. */
const DRAWING_BYTES = 6 * 1024 * 1024;

export const sitePlanReplySchema = z.object({
  /** 0: nothing has been drawn yet. */
  version: z.number().int(),
  madeBy: z.string(),
  madeAt: z.number().nullable(),
  plan: sitePlanSchema,
});
export type SitePlanReply = z.infer<typeof sitePlanReplySchema>;

/** Largest picture, bytes: the page makes larger ones smaller before it sends them. */
export const PICTURE_BYTES_MOST = 4_000_000;

export const sitePlan = {
  read: endpoint({
    method: 'get',
    path: '/api/v1/site-plan',
    door: 'account',
    summary: 'The site plan in force: floors, walls, rooms, stations, where nodes stand, and the radio model',
    reply: sitePlanReplySchema,
  }),
  save: endpoint({
    method: 'put',
    path: '/api/v1/site-plan',
    door: 'maker',
    bodyBytes: DRAWING_BYTES,
    summary: 'Save the plan as its next version; `base` is the version it was drawn on, and one that is not the newest is refused',
    body: z.object({ base: z.number().int().min(0), plan: sitePlanSchema }),
    reply: sitePlanReplySchema,
  }),
  addPicture: endpoint({
    method: 'post',
    path: '/api/v1/site-plan/pictures',
    door: 'maker',
    bodyBytes: DRAWING_BYTES,
    summary: 'Keep a picture (PNG or JPEG, Base64) to draw a floor over; gives the name it is fetched by',
    body: z.object({
      base64: z.base64().max(Math.ceil((PICTURE_BYTES_MOST * 4) / 3) + 4, 'the picture is larger than 4 MB: make it smaller'),
    }),
    reply: z.object({ id: z.string(), widthPixels: z.number().int(), heightPixels: z.number().int() }),
  }),
};
