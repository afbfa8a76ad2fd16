import * as z from 'zod';
import { nodeIdSchema, pointNameSchema } from './node-id';
import { offerSchema, updateReportSchema } from './update';

/** Why a command was sent; `hand`, `sensor-lost` and `limit` off override the minimum time on. */
export const commandReasonSchema = z.enum(['hand', 'threshold', 'timetable', 'sensor-lost', 'limit', 'stand-down']);
export type CommandReason = z.infer<typeof commandReasonSchema>;

/** `do`: a command to one output. Times are Unix milliseconds of the server's clock. */
export const doSchema = z.object({
  id: z.string().min(8).max(64),
  point: pointNameSchema,
  value: z.boolean(),
  leaseSeconds: z.number().positive().max(3600),
  issued: z.number().int(),
  notAfter: z.number().int(),
  reason: commandReasonSchema,
});
export type DoMessage = z.infer<typeof doSchema>;

/** `do` as well: blink the lamp, or tell level and supply once a second (on `fit`) for so long. Never retained or queued. */
export const askSchema = z.object({
  id: z.string().min(8).max(64),
  ask: z.enum(['blink', 'fit']),
  seconds: z.number().positive().max(300),
});
export type AskMessage = z.infer<typeof askSchema>;

/** What a node can do to say something to whoever is near it. */
export const VOICES = ['sound', 'light', 'text'] as const;

/**
 * `do` as well: something to be said where the node is, for so long, in the pattern of [on, off] in ms; what cannot show letters sounds or blinks
 * it. Never retained or queued.
 */
export const saySchema = z.object({
  id: z.string().min(8).max(64),
  say: z.string().min(1).max(200),
  severity: z.enum(['note', 'advisory', 'warning', 'critical']),
  seconds: z.number().positive().max(300),
  pattern: z.tuple([z.number().int().min(50).max(10_000), z.number().int().min(0).max(10_000)]),
});
export type SayMessage = z.infer<typeof saySchema>;

/** `do` as well: what it says by this id is no longer to be said; somebody has heard it. */
export const hushSchema = z.object({ hush: z.string().min(8).max(64) });
export type HushMessage = z.infer<typeof hushSchema>;

/** Colours of a lamp that has more than one; one that has not is on for all but `off`. */
export const LAMP_COLOURS = ['off', 'red', 'amber', 'green', 'blue', 'white'] as const;
export type LampColour = (typeof LAMP_COLOURS)[number];
/** Letters that a small display shows at a time. */
export const MOST_SHOWN_LETTERS = 80;

/**
 * `do` as well: how a lamp and a display stand from now on, while nothing is being said. Renewed well within its seconds; not renewed, the
 * lamp is dark and the display empty: what nobody vouches for is not shown.
 */
export const showSchema = z.object({
  id: z.string().min(8).max(64),
  show: z.string().max(MOST_SHOWN_LETTERS),
  light: z.enum(LAMP_COLOURS),
  seconds: z.number().positive().max(3600),
});
export type ShowMessage = z.infer<typeof showSchema>;

/** `done` as well: what was to be said or shown is, or why not. */
export const saidSchema = z.object({ id: z.string().min(8).max(64), said: z.boolean(), why: z.string().max(80).default('') });
export type SaidMessage = z.infer<typeof saidSchema>;

/** `fit`: what a node hears and has while it is being fitted: the level of its link, and its supply's lowest while it sends. */
export const fitSchema = z.object({ rssiDbm: z.number().min(-130).max(20), supplyVolts: z.number().min(0).max(60).optional() });
export type FitMessage = z.infer<typeof fitSchema>;

export const readBackSchema = z.enum(['none', 'pin', 'contact', 'load']);
export type ReadBack = z.infer<typeof readBackSchema>;

/** `done`: what became of a command, and the state read back from the output. Sent again when the output moves by itself. */
export const doneSchema = z.object({
  id: z.string().max(64).nullable(),
  point: pointNameSchema,
  result: z.enum(['done', 'held', 'refused', 'ended']),
  /** The guard that binds, or why it was refused or ended. */
  reason: z.string().max(80),
  /** Read back, not the wish; `null` where the node has no read-back or it failed. */
  state: z.boolean().nullable(),
  readBack: readBackSchema,
  /** Milliseconds until the binding guard lets go, where one binds. */
  waitMs: z.number().nonnegative().optional(),
  /** Milliseconds since the output last changed. */
  lastedMs: z.number().nonnegative().optional(),
});
export type DoneMessage = z.infer<typeof doneSchema>;

/** `hello`: said on every start. */
export const helloSchema = z.object({
  firmware: z.string().max(64),
  firmwareSha256: z
    .string()
    .regex(/^[0-9a-f]{64}$/)
    .optional(),
  configSha256: z
    .string()
    .regex(/^[0-9a-f]{64}$/)
    .optional(),
  hardwareId: z.string().max(64).optional(),
  resetReason: z.string().max(64),
  rssiDbm: z.number().min(-130).max(20).optional(),
  address: z.string().max(64).optional(),
  batteryVolts: z.number().min(0).max(60).optional(),
  /** The access point that it joined, by its address: what is lost with it is one loss. */
  accessPoint: z.string().max(64).optional(),
  /** It runs on the battery that carries it over a power cut. */
  onBackup: z.boolean().optional(),
  /** How it can say something to whoever is near it; left out: it cannot. */
  says: z.array(z.enum(VOICES)).max(3).optional(),
  points: z.array(pointNameSchema).max(200),
});
export type HelloMessage = z.infer<typeof helloSchema>;

/** `log`: a fault or self-test line. */
export const logSchema = z.object({ level: z.enum(['info', 'warning', 'fault']), text: z.string().min(1).max(500) });
export type LogMessage = z.infer<typeof logSchema>;

/** As many as the ledger can count. */
const LAST_REVISION = 2 ** 31 - 1;

/** `have`: the configuration revision the node now runs, and how far it is with an image it was offered. */
export const haveSchema = z.object({
  revision: z.number().int().nonnegative().max(LAST_REVISION, `a revision is at most ${LAST_REVISION}`),
  update: updateReportSchema.optional(),
  /** Said when it changes: it runs on the battery that carries it over a power cut, or on the mains again. */
  onBackup: z.boolean().optional(),
});
export type HaveMessage = z.infer<typeof haveSchema>;

/** `gone`: the last will, or a farewell. */
export const goneSchema = z.object({ why: z.string().max(200).optional() });

export const guardsSchema = z.object({
  minOnSeconds: z.number().nonnegative().max(86_400),
  minOffSeconds: z.number().nonnegative().max(86_400),
  maxRunSeconds: z.number().positive().max(86_400).nullable(),
  restSeconds: z.number().nonnegative().max(86_400),
});
export type Guards = z.infer<typeof guardsSchema>;

/** How a leaf sends one word: so many copies so far apart, and again when no answer came. */
export const burstSchema = z.object({
  count: z.number().int().min(1, 'one copy at least').max(20, '20 copies at most'),
  spacingMs: z.number().min(1, '1 ms apart at least').max(1000, '1000 ms apart at most'),
});
export type Burst = Readonly<z.infer<typeof burstSchema>>;

/** What is written to a node's store over serial. Holds secrets: never logged, never in an address. */
export const nodeConfigurationSchema = z.object({
  revision: z.number().int().positive(),
  node: nodeIdSchema,
  key: z.string().min(16).max(128),
  room: z.string().max(80),
  sheet: z.string().max(80),
  broker: z.object({ host: z.string().max(255), port: z.number().int().min(1).max(65_535) }),
  /** Tried in this order. Without a passphrase: an open one. `hidden`: it does not tell its name and must be asked for by it. */
  networks: z
    .array(
      z.object({ name: z.string().min(1).max(32), passphrase: z.string().min(8).max(63).nullable(), hidden: z.literal(true).optional() }),
    )
    .min(1)
    .max(5),
  /** A fixed address; `null`: the router gives one. */
  address: z
    .object({ ip: z.ipv4(), prefix: z.number().int().min(8).max(30), router: z.ipv4() })
    .nullable()
    .default(null),
  reportSeconds: z.number().positive().max(86_400),
  points: z.array(z.object({ name: pointNameSchema, unit: z.string().max(16) })).max(200),
  outputs: z
    .array(
      z.object({ point: pointNameSchema, guards: guardsSchema, leaseSeconds: z.number().positive().max(3600), readBack: readBackSchema }),
    )
    .max(32),
  /** A gateway's own network for its leaves, and the port it hears them on. */
  accessPoint: z
    .object({ name: z.string().min(1).max(32), passphrase: z.string().min(8).max(63), port: z.number().int().min(1).max(65_535) })
    .nullable()
    .default(null),
  /** A leaf speaks by datagrams to its gateway, and to nobody else. */
  via: z
    .object({
      host: z.string().max(255),
      port: z.number().int().min(1).max(65_535),
      burst: burstSchema,
    })
    .nullable()
    .default(null),
  /** How long it tries its networks, and what it does then. */
  join: z
    .object({ seconds: z.number().positive().max(600), then: z.enum(['set-up', 'back off']) })
    .default({ seconds: 120, then: 'set-up' }),
  /** Of its own set-up network; on its label. */
  setupPassword: z.string().min(8).max(63).nullable().default(null),
  /** Ed25519 keys, Base64, whose signatures on images the node trusts. */
  trustedKeys: z.array(z.base64().length(44)).max(8).default([]),
});
export type NodeConfiguration = z.infer<typeof nodeConfigurationSchema>;

/** A threshold whose sensor and output are on the same node: with the link down it goes on alone, within the output's guards. */
export const ownThresholdSchema = z.object({
  id: z.number().int(),
  point: pointNameSchema,
  output: pointNameSchema,
  side: z.enum(['high', 'low']),
  setpoint: z.number(),
  clearLevel: z.number(),
  onDelaySeconds: z.number().nonnegative(),
  offDelaySeconds: z.number().nonnegative(),
  confirm: z.enum(['readings', 'hold']),
  /** Least and most that its sensor can measure: what lies outside moves nothing. */
  measures: z.tuple([z.number(), z.number()]),
});
export type OwnThreshold = z.infer<typeof ownThresholdSchema>;

/** Thresholds that a node can follow alone, and leaves that a gateway can hold: what the memory of a small board is planned for. */
export const MOST_OWN_THRESHOLDS = 32;
export const MOST_LEAVES = 64;

/**
 * `set`: the part of a configuration that a running node takes over the air, the image it is to run (`null`: the one it runs), and
 * a new key in the place of its own; retained by the broker.
 */
export const setSchema = nodeConfigurationSchema.pick({ revision: true, reportSeconds: true, outputs: true }).extend({
  image: offerSchema.nullable().default(null),
  /** Armed thresholds that it may follow alone. */
  thresholds: z.array(ownThresholdSchema).max(MOST_OWN_THRESHOLDS).default([]),
  key: z.string().min(16).max(128).optional(),
  /** Leaves that a gateway hears, with their keys. */
  leaves: z
    .array(z.object({ node: nodeIdSchema, key: z.string().min(16).max(128) }))
    .max(MOST_LEAVES)
    .optional(),
});
export type SetMessage = z.infer<typeof setSchema>;

/** `refused`: records the server did not store, and why; `serverTime` (ms) comes with a clock that is off. */
export const refusedSchema = z.object({
  refused: z.array(z.object({ point: z.string().nullable(), why: z.string() })),
  serverTime: z.number().int().optional(),
});
export type RefusedMessage = z.infer<typeof refusedSchema>;

/** What the server hands to a handset (or its stand-in): one message to one person, with a stable id. */
export const handsetMessageSchema = z.object({
  id: z.string().max(64),
  to: z.string().max(80),
  title: z.string().max(200),
  text: z.string().max(1000),
  severity: z.enum(['advisory', 'warning', 'critical', 'note']),
  alertId: z.number().int().nullable(),
  trippedAt: z.number().int().nullable(),
  sentAt: z.number().int(),
});
export type HandsetMessage = z.infer<typeof handsetMessageSchema>;
