import {
  antennaProfileSchema,
  boardProfileSchema,
  defaultThresholdSchema,
  gatewayProfileSchema,
  partProfileSchema,
  sheetDraftSchema,
  supplyProfileSchema,
} from '@dewpost/core/circuit';
import { rawScaleSchema } from '@dewpost/core/calibration';
import { guardsSchema, nodeIdSchema, pointNameSchema, readBackSchema, updateReportSchema, VOICES } from '@dewpost/core/wire';

import * as z from 'zod';

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
  /** What its sensor gives in the place of a reading that failed, as its node sends it. */
  faultValues: z.array(z.number()).max(8).optional(),
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

/** What a point's readings are judged by, in its unit, as its sheet has it. */
const judgedSchema = sheetPointSchema.pick({
  ...{ physicalMin: true, physicalMax: true, spikeStep: true, spikeWindow: true, stuckAfterSeconds: true, restsAt: true },
});

/** The same as people may say it for one point. */
export const judgingSchema = z
  .object({
    physicalMin: z.number().min(-1e12).max(1e12),
    physicalMax: z.number().min(-1e12).max(1e12),
    spikeStep: sheetPointSchema.shape.spikeStep,
    spikeWindow: z.number().int('whole readings').min(5, 'five readings at least').max(31, '31 readings at most').nullable(),
    stuckAfterSeconds: z.number().min(10, 'ten seconds at least').max(2_592_000, '30 days at most').nullable(),
    restsAt: z.number().nullable(),
  })
  .refine(({ physicalMin, physicalMax }) => physicalMin < physicalMax, {
    path: ['physicalMax'],
    message: 'the most that can be lies above the least',
  });
export type Judging = z.output<typeof judgingSchema>;

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
  /** How it can say something to whoever is near it, as its hello has it. */
  says: z.array(z.enum(VOICES)).default([]),
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
    /** What converts it was copied from a like node, and nobody has confirmed it here. */
    inherited: z.boolean(),
    /** How often it is told where that is not as often as its node reports, s: it is computed from points of others. */
    everySeconds: z.number().nullable(),
    /** What its readings are judged by, and what its sheet would have; `null`: that is the same. */
    judging: judgedSchema,
    judgingOfSheet: judgedSchema.nullable(),
    /** The unit and range that a calibration leads to. */
    calibratesTo: sheetPointSchema.pick({ unit: true, min: true, max: true, decimals: true }),
  });
export type Point = z.infer<typeof pointSchema>;

export const newNodeReplySchema = z.object({ id: nodeIdSchema, key: z.string(), points: z.array(pointSchema) });

export const roomName = z.string().trim().min(1, 'where is it?').max(60);
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
