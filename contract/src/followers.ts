import { markupIn, unknownPlaceholders } from '@dewpost/core/alarm';
import { LAMP_COLOURS, MOST_SHOWN_LETTERS, nodeIdSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { endpoint, rowId } from './endpoint';

/** A lamp's colour, and what a display shows; empty: the point and its value. */
export const shownSchema = z.object({
  light: z.enum(LAMP_COLOURS),
  text: z
    .string()
    .trim()
    .max(MOST_SHOWN_LETTERS)
    .default('')
    .superRefine((text, context) => {
      const unknown = unknownPlaceholders(text);
      if (unknown.length > 0) context.addIssue(`{${unknown[0]}} stands for nothing`);
      if (markupIn(text) !== null) context.addIssue('plain words only');
    }),
});
export const followerSchema = z.object({
  id: z.number().int(),
  node: nodeIdSchema,
  threshold: z.number().int(),
  beyond: shownSchema,
  otherwise: shownSchema,
  by: z.string(),
  /** What it was told to show last, and when it said that it does, ms; `null`: it was not told anything yet, or did not answer. */
  shows: z.object({ light: z.enum(LAMP_COLOURS), text: z.string() }).nullable(),
  confirmedAt: z.number().nullable(),
});
export type Follower = z.output<typeof followerSchema>;
const wantedSchema = z.object({ node: nodeIdSchema, threshold: rowId, beyond: shownSchema, otherwise: shownSchema });
export type NewFollower = z.output<typeof wantedSchema>;

export const followers = {
  list: endpoint({
    method: 'get',
    path: '/api/v1/followers',
    door: 'account',
    summary: 'Lamps and displays that follow a rule, and what they show',
    reply: z.array(followerSchema),
  }),
  add: endpoint({
    method: 'post',
    path: '/api/v1/followers',
    door: 'maker',
    summary:
      'Have a node with a lamp or a display follow a rule: one look while it stands in alarm, another otherwise, dark where it is not known',
    body: wantedSchema,
    reply: z.array(followerSchema),
  }),
  remove: endpoint({
    method: 'delete',
    path: '/api/v1/followers/:id',
    door: 'maker',
    summary: 'Let a lamp or a display follow nothing any more',
    params: z.object({ id: rowId }),
    reply: z.array(followerSchema),
  }),
};
