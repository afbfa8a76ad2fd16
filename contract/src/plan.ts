import { profileSchema, sheetDraftSchema } from '@dewpost/core/circuit';
import { burstSchema, nodeIdSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { endpoint } from './endpoint';
import {
  buildSheetSchema,
  roomSchema,
  nodeSchema,
  pointSchema,
  newNodeReplySchema,
  roomName,
  shownName,
  nodeLogEntrySchema,
  assemblyReplySchema,
  catalogueReplySchema,
} from './plan-schemas';

const byId = z.object({ id: z.string().max(64) });

export const plan = {
  catalogue: endpoint({
    method: 'get',
    path: '/api/v1/catalogue',
    door: 'account',
    summary: 'Profiles of boards, parts and supplies; `own` names those that were added here',
    reply: catalogueReplySchema,
  }),
  addProfile: endpoint({
    method: 'post',
    path: '/api/v1/catalogue',
    door: 'maker',
    summary: 'Add a profile of one’s own, or replace one; errors name the path and what is expected there',
    /** The version of one’s own that is replaced; 0: there is none yet. */
    query: z.object({ from: z.coerce.number().int().min(0).default(0) }),
    body: profileSchema,
    reply: z.object({ id: z.string(), version: z.number().int() }),
  }),
  removeProfile: endpoint({
    method: 'delete',
    path: '/api/v1/catalogue/:id',
    door: 'maker',
    summary: 'Remove a profile of one’s own; one that ships comes back as it was',
    params: z.object({ id: z.string().max(64) }),
  }),
  saveSheet: endpoint({
    method: 'post',
    path: '/api/v1/build-sheets',
    door: 'maker',
    summary: 'Save a drawn build sheet; under a name that exists it becomes its next version',
    body: z.object({
      name: z.string().trim().min(1, 'the sheet needs a name').max(80),
      draft: sheetDraftSchema,
      /** The sheet and version that was drawn on; `null`: a new one. Where it is not the newest any more: 409 with the newest. */
      base: z.object({ slug: z.string().max(60), version: z.number().int() }).nullable(),
    }),
    reply: buildSheetSchema,
  }),
  sheets: endpoint({
    method: 'get',
    path: '/api/v1/build-sheets',
    door: 'account',
    summary: 'Build sheets with their points',
    reply: z.array(buildSheetSchema),
  }),
  retireSheet: endpoint({
    method: 'delete',
    path: '/api/v1/build-sheets/:slug',
    door: 'maker',
    summary: 'Take away a build sheet that no node stands on; its versions stay for nodes that were retired',
    params: z.object({ slug: z.string().max(64) }),
    reply: z.object({}),
  }),
  sheetVersions: endpoint({
    method: 'get',
    path: '/api/v1/build-sheets/:slug/versions',
    door: 'account',
    summary: 'Every version of a sheet, newest first, with the nodes that run it',
    params: z.object({ slug: z.string().max(64) }),
    reply: z.array(
      z.object({
        version: z.number().int(),
        madeAt: z.number(),
        draft: sheetDraftSchema.nullable(),
        nodes: z.array(nodeIdSchema),
      }),
    ),
  }),
  ticks: endpoint({
    method: 'get',
    path: '/api/v1/nodes/:id/assembly',
    door: 'account',
    summary: 'Steps of a node’s assembly that are ticked off, by whom and when; and the version of its sheet it was made from',
    params: byId,
    reply: assemblyReplySchema,
  }),
  tick: endpoint({
    method: 'put',
    path: '/api/v1/nodes/:id/assembly',
    door: 'account',
    summary: 'Tick a step off, or take the tick back',
    params: byId,
    body: z.object({ step: z.string().min(1).max(80), done: z.boolean() }),
    reply: assemblyReplySchema,
  }),
  leafBurst: endpoint({
    method: 'get',
    path: '/api/v1/leaf-burst',
    door: 'account',
    summary: 'How leaves send a word to their gateway, as planned',
    reply: burstSchema,
  }),
  setLeafBurst: endpoint({
    method: 'put',
    path: '/api/v1/leaf-burst',
    door: 'maker',
    summary: 'Plan how leaves send; those that follow the plan get a new revision, and are told it when they are written again',
    body: burstSchema,
    reply: z.object({ leaves: z.array(nodeIdSchema) }),
  }),
  rooms: endpoint({ method: 'get', path: '/api/v1/rooms', door: 'account', summary: 'Rooms of the site', reply: z.array(roomSchema) }),
  nodes: endpoint({ method: 'get', path: '/api/v1/nodes', door: 'account', summary: 'All nodes', reply: z.array(nodeSchema) }),
  addNode: endpoint({
    method: 'post',
    path: '/api/v1/nodes',
    door: 'maker',
    summary: 'Make one node from a build sheet; a room that does not exist yet is made. The key is shown in this reply',
    body: z.object({ id: nodeIdSchema, room: roomName, buildSheet: z.string().trim().min(1).max(80) }),
    reply: newNodeReplySchema,
  }),
  addNodes: endpoint({
    method: 'post',
    path: '/api/v1/nodes/batch',
    door: 'maker',
    summary: 'Make several nodes from one build sheet, all or none; their keys stay sealed',
    body: z.object({ ids: z.array(nodeIdSchema).min(1).max(200), room: roomName, buildSheet: z.string().trim().min(1).max(80) }),
    reply: z.object({ nodes: z.array(nodeSchema) }),
  }),
  changeNode: endpoint({
    method: 'patch',
    path: '/api/v1/nodes/:id',
    door: 'maker',
    summary: 'Rename a node, or move it to another room; its id, its key and its history stay. A room that does not exist yet is made',
    params: byId,
    body: z
      .object({ name: shownName.optional(), room: roomName.optional() })
      .refine(({ name, room }) => name !== undefined || room !== undefined, 'give a name, a room, or both'),
    reply: nodeSchema,
  }),
  labelPoint: endpoint({
    method: 'patch',
    path: '/api/v1/nodes/:id/points/:point',
    door: 'maker',
    summary: 'Call a point by words of its own at this node; `null`: as its build sheet calls it',
    params: byId.extend({ point: z.string().max(64) }),
    body: z.object({ label: shownName.nullable() }),
    reply: pointSchema,
  }),
  retireNode: endpoint({
    method: 'post',
    path: '/api/v1/nodes/:id/retire',
    door: 'maker',
    summary: 'Retire a node: its history stays, its thresholds stand down, its outputs go off, its key is dead and its address is free',
    params: byId,
  }),
  revealKey: endpoint({
    method: 'post',
    path: '/api/v1/nodes/:id/key',
    door: 'maker',
    summary: 'Show the key of a node that has not made contact yet; the showing is logged',
    params: byId,
    reply: z.object({ key: z.string() }),
  }),
  nodeLog: endpoint({
    method: 'get',
    path: '/api/v1/nodes/:id/log',
    door: 'account',
    summary: 'What a node said of itself and what was refused from it, newest first',
    params: byId,
    reply: z.array(nodeLogEntrySchema),
  }),
};
