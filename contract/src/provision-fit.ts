import { pointNameSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { endpoint, rowId } from './endpoint';
import { byNode, fitReplySchema } from './provision-schemas';

export const provisionFit = {
  fit: endpoint({
    method: 'get',
    path: '/api/v1/nodes/:id/fit',
    door: 'account',
    summary: 'What is proved of a node in place, and what is still needed before it is armed',
    params: byNode,
    reply: fitReplySchema,
  }),
  removePhoto: endpoint({
    method: 'delete',
    path: '/api/v1/nodes/:id/photos/:photo',
    door: 'account',
    summary: 'Take a photo of a node away',
    params: byNode.extend({ photo: rowId }),
    reply: fitReplySchema,
  }),
  askSignal: endpoint({
    method: 'post',
    path: '/api/v1/nodes/:id/fit/signal',
    door: 'account',
    summary: 'Ask a node to tell its level and supply once a second; they are judged when the time is over',
    params: byNode,
    reply: fitReplySchema,
  }),
  blink: endpoint({
    method: 'post',
    path: '/api/v1/nodes/:id/blink',
    door: 'account',
    summary: 'Let a node’s lamp blink for ten seconds, to find it',
    params: byNode,
    reply: z.object({ asked: z.boolean() }),
  }),
  watchContact: endpoint({
    method: 'post',
    path: '/api/v1/nodes/:id/fit/contact',
    door: 'account',
    summary: 'Wait a minute for a contact to change; the time from act to message is measured from now',
    params: byNode,
    body: z.object({ point: pointNameSchema }),
    reply: fitReplySchema,
  }),
  operate: endpoint({
    method: 'post',
    path: '/api/v1/nodes/:id/fit/operate',
    door: 'account',
    summary: 'Operate an output for a few seconds while it is being fitted; it obeys every guard',
    params: byNode,
    body: z.object({ point: pointNameSchema, on: z.boolean() }),
    reply: fitReplySchema,
  }),
  fitCheck: endpoint({
    method: 'post',
    path: '/api/v1/nodes/:id/fit/checks',
    door: 'account',
    summary:
      'Tell what was seen in place: a reading by hand, volts at the board, an output that moved. All settled: the node is armed, but for what hangs on a check that was not possible',
    params: byNode,
    body: z.discriminatedUnion('kind', [
      z.object({ kind: z.literal('signal'), dbm: z.number().min(-130).max(0) }),
      z.object({ kind: z.literal('supply'), volts: z.number().min(0).max(60) }),
      z.object({ kind: z.literal('reading'), point: pointNameSchema, hand: z.number(), tolerance: z.number().positive() }),
      z.object({ kind: z.literal('output'), point: pointNameSchema, seen: z.boolean() }),
      /** It follows the hand: touched, breathed on, shaded, tipped. */
      z.object({ kind: z.literal('self-test'), point: pointNameSchema, seen: z.boolean() }),
      /** It cannot be made, and why: the rest is armed without what hangs on it. */
      z.object({
        kind: z.literal('not-possible'),
        need: z.string().max(64),
        because: z.string().trim().min(3, 'say why').max(200),
      }),
    ]),
    reply: fitReplySchema,
  }),
};
