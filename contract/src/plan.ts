import {
  antennaProfileSchema,
  boardProfileSchema,
  defaultThresholdSchema,
  gatewayProfileSchema,
  partProfileSchema,
  profileSchema,
  sheetDraftSchema,
  supplyProfileSchema,
} from '@dewpost/core/circuit';
import { rawScaleSchema } from '@dewpost/core/calibration';
import { burstSchema, guardsSchema, nodeIdSchema, pointNameSchema, readBackSchema, updateReportSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { endpoint } from './endpoint';

export const pointKindSchema = z.enum(['measured', 'derived', 'switched']);

/** One point as a build sheet lays it down. */
export const sheetPointSchema = z.object({
  name: pointNameSchema,
  label: z.string().max(80),
  kind: pointKindSchema,
  unit: z.string().max(16),
  min: z.number(),
  max: z.number(),
  decimals: z.number().int().min(0).max(6),
  physicalMin: z.number(),
  physicalMax: z.number(),
  /** What the node sends where that is not `unit`; `null`: it sends the point's unit. */
  raw: rawScaleSchema.nullable().default(null),
  spikeStep: z.number().positive().nullable(),
  spikeWindow: z.number().int().min(5).max(31).nullable().default(null),
  stuckAfterSeconds: z.number().positive().nullable(),
  /** A value at which it may stand still all the same. */
  restsAt: z.number().nullable().default(null),
  /** How a delay of its thresholds is finished: by readings past it, or, where only changes are reported, by time alone. */
  confirm: z.enum(['readings', 'hold']).default('readings'),
  /** It protects people, animals or the house: its silence counts sooner. */
  protective: z.boolean().default(false),
  /** How a derived point is computed, and from which points. */
  thresholds: z.array(defaultThresholdSchema).default([]),
  derived: z.object({ quantity: z.enum(['dew-point']), from: z.array(pointNameSchema) }).nullable(),
  output: z.object({ guards: guardsSchema, leaseSeconds: z.number().positive(), readBack: readBackSchema, caution: z.string() }).nullable(),
});
export type SheetPoint = z.infer<typeof sheetPointSchema>;

export const wireSchema = z.object({ from: z.string(), to: z.string(), colour: z.string().default(''), through: z.string() });

export const buildSheetBodySchema = z.object({
  board: z.string(),
  supply: z.string(),
  parts: z.array(z.object({ part: z.string(), what: z.string() })),
  wiring: z.array(wireSchema),
  reportSeconds: z.number().positive(),
  points: z.array(sheetPointSchema),
  cautions: z.array(z.string()),
  /** What it was drawn from; `null`: a sheet that ships ready-made. */
  draft: sheetDraftSchema.nullable().default(null),
  /** How its checks stood when it was saved. */
  checks: z.object({ fails: z.number().int(), warns: z.number().int() }).default({ fails: 0, warns: 0 }),
});
export type BuildSheetBody = z.infer<typeof buildSheetBodySchema>;
/** The same before defaults are filled in. */
export type BuildSheetInput = z.input<typeof buildSheetBodySchema>;

export const buildSheetSchema = z.object({
  slug: z.string(),
  name: z.string(),
  version: z.number().int(),
  nodes: z.number().int(),
  /** Nodes of it that run an older version. */
  behind: z.number().int(),
  body: buildSheetBodySchema,
});
export type BuildSheet = z.infer<typeof buildSheetSchema>;

export const roomSchema = z.object({ slug: z.string(), name: z.string() });
export type Room = z.infer<typeof roomSchema>;

export const nodeStateSchema = z.enum(['planned', 'writing', 'stopped', 'written', 'proved']);
export type NodeState = z.infer<typeof nodeStateSchema>;

export const nodeSchema = z.object({
  /** What the protocol calls it: never changes. */
  id: nodeIdSchema,
  /** What people read, in any script. */
  name: z.string(),
  /** A source has no board: anything that can post. What is adopted runs firmware of its own, which stays as it is. What is computed stands for points of a room that are computed from others. */
  kind: z.enum(['node', 'source', 'adopted', 'computed']),
  room: z.string(),
  sheet: z.string(),
  state: nodeStateSchema,
  connected: z.boolean(),
  silent: z.boolean(),
  heardAt: z.number().nullable(),
  firmware: z.string().nullable(),
  batteryVolts: z.number().nullable(),
  rssiDbm: z.number().nullable(),
  hardwareId: z.string().nullable(),
  /** While true the key can be revealed; after the first contact only its digest remains. */
  keySealed: z.boolean(),
  revision: z.number().int(),
  haveRevision: z.number().int().nullable(),
  /** When it confirmed that revision. */
  haveAt: z.number().nullable(),
  /** The image it is told to run, as the library names it, while it is not on it; and how far it is. */
  offered: z.string().nullable(),
  update: updateReportSchema.nullable(),
  /** A new key is on its way to it over the air. */
  keyRotates: z.boolean(),
  reportSeconds: z.number(),
  /** The node through which it reaches the site; `null`: by itself. */
  gateway: nodeIdSchema.nullable(),
  /** When it was proved in place; until then its thresholds and outputs are unarmed. */
  fittedAt: z.number().nullable(),
  /** Points whose check in place was not possible: nothing that hangs on them is armed. */
  unproved: z.array(z.string()),
  /** Since when it is live: what it sent before were trials; `null`: all of it counts. */
  liveSince: z.number().nullable(),
});
export type Node = z.infer<typeof nodeSchema>;

export const pointSchema = sheetPointSchema
  .pick({
    name: true,
    label: true,
    kind: true,
    unit: true,
    min: true,
    max: true,
    decimals: true,
    confirm: true,
    output: true,
    derived: true,
  })
  .extend({
    id: z.number().int(),
    node: nodeIdSchema,
    /** What its node sends where that is not its unit. */
    raw: rawScaleSchema.nullable(),
    /** What its values 0, 1, 2, … are in words, where they are kinds and no amounts; else empty. */
    states: z.array(z.string()),
    /** Nothing converts what its node sends: `unit`, `min`, `max` and `decimals` are those of the raw value, and no rule is judged on it. */
    uncalibrated: z.boolean(),
    /** Until when its rules are held because somebody works at it, ms; `null`: they are not. */
    heldUntil: z.number().nullable(),
    /** When the calibration in force is due to be made again, ms; `null`: there is none, or nobody has said so. */
    calibrationDue: z.number().nullable(),
    /** How often it is told where that is not as often as its node reports, s: it is computed from points of others. */
    everySeconds: z.number().nullable(),
    /** The unit and range that a calibration leads to. */
    calibratesTo: sheetPointSchema.pick({ unit: true, min: true, max: true, decimals: true }),
  });
export type Point = z.infer<typeof pointSchema>;

export const newNodeReplySchema = z.object({ id: nodeIdSchema, key: z.string(), points: z.array(pointSchema) });

const roomName = z.string().trim().min(1, 'where is it?').max(60);
/** A name that people read: any script, one line. */
export const shownName = z
  .string()
  .trim()
  .min(1, 'give it a name')
  .max(60)
  // eslint-disable-next-line no-control-regex
  .refine((text) => !/[\u0000-\u001f\u007f]/.test(text), 'one line of text');
/** What is made in two fields: what people call it, and where it is. */
export const namedPlaceSchema = z.object({ name: shownName, room: roomName });
export type NamedPlace = z.output<typeof namedPlaceSchema>;

export const nodeLogEntrySchema = z.object({
  at: z.number(),
  level: z.enum(['info', 'warning', 'fault', 'refused']),
  text: z.string(),
  /** How many the same in a row since `at`. */
  times: z.number().int(),
});
export type NodeLogEntry = z.infer<typeof nodeLogEntrySchema>;

const byId = z.object({ id: z.string().max(64) });

export const assemblyReplySchema = z.object({
  sheet: z.string(),
  version: z.number().int(),
  draft: sheetDraftSchema.nullable(),
  ticks: z.array(z.object({ step: z.string(), by: z.string(), at: z.number() })),
});
export type AssemblyReply = z.infer<typeof assemblyReplySchema>;

export const catalogueReplySchema = z.object({
  boards: z.array(boardProfileSchema),
  parts: z.array(partProfileSchema),
  supplies: z.array(supplyProfileSchema),
  antennas: z.array(antennaProfileSchema),
  gateways: z.array(gatewayProfileSchema),
  own: z.array(z.string()),
  /** Versions of those of one’s own, by id. */
  versions: z.record(z.string(), z.number().int()),
});

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
