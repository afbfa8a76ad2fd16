import { CONSEQUENCES, markupIn, PLACEHOLDERS, SEVERITIES, unknownPlaceholders } from '@dewpost/core/alarm';
import { handsetMessageSchema } from '@dewpost/core/wire';
import * as z from 'zod';
import { rowId } from './endpoint';
import { alsoSchema, judgedSchema } from './judged';

export const severitySchema = z.enum(SEVERITIES);
export type Severity = z.infer<typeof severitySchema>;

const ownWords = (most: number) =>
  z
    .string()
    .trim()
    .min(1)
    .max(most)
    .superRefine((text, context) => {
      const markup = markupIn(text);
      if (markup !== null) context.addIssue(`plain words only: ${markup} would be read as it stands`);
      const unknown = unknownPlaceholders(text);
      if (unknown.length > 0)
        context.addIssue(
          `{${unknown[0]}} stands for nothing: use ${PLACEHOLDERS.map((name) => `{${name}}`).join(', ')}, or {node/point} for another point`,
        );
    });
const dayMinute = z.number().int().min(0).max(1439);
const delay = z.number().min(0).max(86_400);

export const thresholdRuleSchema = z.object({
  side: z.enum(['high', 'low']),
  setpoint: z.number(),
  deadband: z.number().min(0, 'a deadband is not negative'),
  onDelaySeconds: delay,
  offDelaySeconds: delay,
  severity: severitySchema,
  /** The output that a trip switches on until the alert clears; `null`: nothing is switched. */
  output: z.number().int().nullable(),
  /** `journal`: ordinary switching, one line in what happened; nobody is told and nothing has to be acknowledged. */
  tells: z.enum(['alert', 'journal']).default('alert'),
  /** Left out: an alert, and control where an output is named. */
  consequences: z
    .array(z.enum(CONSEQUENCES))
    .min(1, 'at least one consequence')
    .max(3)
    .refine((all) => new Set(all).size === all.length, 'each once')
    .optional(),
  /** Control switches its output on until it clears, or off at the trip. */
  act: z.enum(['on', 'off']).default('on'),
  /**
   * A notice in words of its own, at the trip or for each edge, and what its alert says; `{value}`, `{unit}`, `{limit}`, `{point}`, `{node}`, `{room}`,
   * `{since}`, `{battery}` are filled in, and `{node/point}` by what another point reads.
   */
  words: z
    .preprocess(
      (given) => (typeof given === 'string' ? { trip: given } : given),
      z
        .object({
          trip: ownWords(200).nullable().default(null),
          clear: ownWords(200).nullable().default(null),
          alert: ownWords(500).nullable().default(null),
        })
        .nullable(),
    )
    .default(null),
  /** What its control is to move, the right way, and within which time; else that is an alert. `null`: nobody has said. */
  expects: z
    .object({
      by: z.number().positive('more than nothing').max(1e9),
      withinSeconds: z.number().min(10, 'at least 10 s').max(86_400, 'a day at most'),
    })
    .nullable()
    .default(null),
  /** When it is judged, in site time; over midnight where `to` is not the larger, alike: the whole day. `null`: always. */
  hours: z
    .object({
      weekdays: z.array(z.number().int().min(1).max(7)).min(1, 'choose at least one day').max(7).readonly(),
      from: dayMinute,
      to: dayMinute,
    })
    .nullable()
    .default(null),
  /** Not judged while this other rule stands in alarm; `null`: whatever else stands. */
  unless: rowId.nullable().default(null),
  /** What goes on after its output, in order: so long after the trip, where it still stands; all go off together. Only where it switches on. */
  then: z
    .array(z.object({ output: rowId, afterSeconds: z.number().min(1, 'one second at least').max(86_400, 'a day at most') }))
    .max(3, 'three at most')
    .default([]),
  /** While it stands its output runs for a share of each cycle: all of it a `band` away from where it clears, less the nearer. `null`: all the time. */
  proportional: z
    .object({
      band: z.number().positive('more than nothing').max(1e6),
      cycleSeconds: z.number().int('whole seconds').min(30, '30 s at least').max(7200, 'two hours at most'),
    })
    .nullable()
    .default(null),
  /** What of the point is judged; left out: its value. */
  judges: judgedSchema.default({ kind: 'value' }),
  /** A second condition, on another point: both must be met, or either. */
  also: alsoSchema.nullable().default(null),
  /** What has tripped stands until somebody has acknowledged and reset it, though it has long cleared. */
  latching: z.boolean().default(false),
  /** Ways that this rule goes by, by number; `null`: those for its severity. */
  route: z.array(rowId).max(20).nullable().default(null),
});
export type ThresholdRuleBody = z.infer<typeof thresholdRuleSchema>;

export const thresholdSchema = thresholdRuleSchema.extend({
  id: z.number().int(),
  point: z.number().int(),
  version: z.number().int(),
  clearLevel: z.number(),
  consequences: z.array(z.enum(CONSEQUENCES)),
  words: z.object({ trip: z.string().nullable(), clear: z.string().nullable(), alert: z.string().nullable().default(null) }).nullable(),
  expects: z.object({ by: z.number(), withinSeconds: z.number() }).nullable().default(null),
  route: z.array(z.number().int()).nullable(),
  judges: judgedSchema.default({ kind: 'value' }),
  also: alsoSchema.nullable().default(null),
  latching: z.boolean().default(false),
  proportional: z.object({ band: z.number(), cycleSeconds: z.number() }).nullable().default(null),
  then: z.array(z.object({ output: z.number().int(), afterSeconds: z.number() })).default([]),
  /** As its point reports: contacts and states hold between two readings. */
  confirm: z.enum(['readings', 'hold']),
  phase: z.enum(['normal', 'pending-on', 'active', 'pending-off']),
  /** When it is due to be proved again on its node, ms; `null`: it never was. */
  proofDueAt: z.number().nullable().default(null),
});
export type Threshold = z.infer<typeof thresholdSchema>;

export const thresholdVersionSchema = thresholdRuleSchema
  .pick({ side: true, setpoint: true, deadband: true, onDelaySeconds: true, offDelaySeconds: true, severity: true, judges: true })
  .extend({ version: z.number().int(), by: z.string(), at: z.number(), why: z.string() });
export type ThresholdVersion = z.infer<typeof thresholdVersionSchema>;

export const alertSchema = z.object({
  id: z.number().int(),
  kind: z.enum([
    'threshold',
    'silent',
    'sensor-lost',
    'output-stuck',
    'battery-low',
    'no-read-back',
    'no-effect',
    'on-backup',
    'access-point',
    'guard-ended',
  ]),
  threshold: z.number().int().nullable(),
  node: z.string(),
  point: z.number().int().nullable(),
  severity: severitySchema,
  title: z.string(),
  text: z.string(),
  trippedAt: z.number(),
  value: z.number().nullable(),
  clearedAt: z.number().nullable(),
  clearedWhy: z.string().nullable(),
  acknowledgedAt: z.number().nullable(),
  acknowledgedBy: z.string().nullable(),
  /** On the shelf until then, ms: it stands, and nobody is told; by whom, and why. `null`: it is not. */
  shelvedUntil: z.number().nullable(),
  shelvedBy: z.string().nullable(),
  shelvedWhy: z.string().nullable(),
  /** Found too late to act on: no output was commanded. */
  earlier: z.boolean(),
  /** Ordinary switching, told in the journal only. */
  journal: z.boolean(),
  /** Latched: when its condition went, ms; it stands until somebody resets it. `null`: its condition stands, or it is not latched. */
  returnedAt: z.number().nullable().default(null),
  /** Why it came, and what was done, as somebody has written it down. */
  cause: z.string().nullable().default(null),
  remedy: z.string().nullable().default(null),
});
export type Alert = z.infer<typeof alertSchema>;

/** By which times an output runs, in site time, and in which hours rules and timetable may switch it on. */
export const timetableSchema = z.object({
  lines: z
    .array(
      z.object({
        /** ISO 8601: 1 is Monday, 7 Sunday. */
        weekdays: z.array(z.number().int().min(1).max(7)).max(7).readonly(),
        minute: dayMinute,
        seconds: z.number().int('whole seconds').min(1).max(86_400),
        /** Again every so many minutes until a minute of the same day; `null`: once. */
        again: z.object({ everyMinutes: z.number().int().min(1).max(1440), untilMinute: z.number().int().min(1).max(1440) }).nullable(),
      }),
    )
    .max(20, 'twenty lines at most')
    .readonly(),
  /** Over midnight where `to` is the smaller; `null`: at any hour. */
  hours: z
    .object({ from: dayMinute, to: dayMinute })
    .refine(({ from, to }) => from !== to, 'the hours begin and end at one time: leave them out, or choose two')
    .nullable(),
});
/** `from`: the version that was being edited, 0 where there was none. */
export const timetableBodySchema = timetableSchema.extend({ from: z.number().int().min(0) });
export type TimetableBody = z.output<typeof timetableBodySchema>;

/** What an output may do within one site day, and what forbids it at any time: a point that reads beyond a level, or that nobody can read. */
export const outputLimitsSchema = z.object({
  seconds: z.number().int('whole seconds').min(1, 'at least a second').max(86_400, 'a day at most').nullable().default(null),
  starts: z.number().int('whole starts').min(1, 'at least one').max(10_000).nullable().default(null),
  litres: z.number().positive('more than nothing').max(1e7).nullable().default(null),
  /** The point that counts them, in l or m³. */
  meter: rowId.nullable().default(null),
  forbids: z
    .array(z.object({ point: rowId, side: z.enum(['high', 'low']), setpoint: z.number() }))
    .max(4, 'four at most')
    .default([]),
});
export type OutputLimitsBody = z.output<typeof outputLimitsSchema>;
/** `from`: the version that was being edited, 0 where there was none. */
export const outputLimitsWishSchema = outputLimitsSchema.extend({ from: z.number().int().min(0) });

export const relaySchema = z.object({
  point: z.number().int(),
  /** Read back from the node; `null`: unknown. */
  state: z.boolean().nullable(),
  readAt: z.number().nullable(),
  /** Since when it stands as it does, as far as known. */
  since: z.number().nullable(),
  result: z.enum(['done', 'held', 'refused', 'ended']).nullable(),
  reason: z.string().nullable(),
  /** Until when the guard named in `reason` binds. */
  heldUntil: z.number().nullable(),
  askedBy: z.string().nullable(),
  askedFor: z.enum(['hand', 'threshold', 'timetable']).nullable(),
  /** Who has locked it out, why, and until when; `null` as its end: until the lock is taken off. */
  lock: z.object({ by: z.string(), reason: z.string(), since: z.number(), until: z.number().nullable() }).nullable().default(null),
  /** Another output that wins over it runs, or is wanted; `null`: none, or nobody wants this one. */
  heldOffBy: z.string().nullable().default(null),
  timetable: timetableSchema.extend({ version: z.number().int() }).nullable().default(null),
  limits: outputLimitsSchema.extend({ version: z.number().int() }).nullable().default(null),
  /** Which of its limits keeps it off, in words, while somebody wants it; `null`: none. */
  limitedBy: z.string().nullable().default(null),
  /** What it has done on the site day that began at `day`, as it was read back; `null`: nothing was read back yet. */
  today: z
    .object({ day: z.number(), runMs: z.number(), starts: z.number().int(), onSince: z.number().nullable() })
    .nullable()
    .default(null),
  /** End of the hand limit, or of the run of its timetable. */
  endsAt: z.number().nullable(),
  /** When it goes off by itself: hand limit or maximum run, whichever comes first. */
  offAt: z.number().nullable(),
  leaseUntil: z.number().nullable(),
  renewing: z.boolean(),
  /** What it has done since it is counted; `null`: it has not been read back yet. */
  wear: z
    .object({ starts: z.number().int(), runMs: z.number(), since: z.number(), onSince: z.number().nullable() })
    .nullable()
    .default(null),
});
export type Relay = z.infer<typeof relaySchema>;

/** Two outputs that never run together, by their points. */
export const interlockSchema = z.object({ id: z.number().int(), winner: z.number().int(), loser: z.number().int(), by: z.string() });
export type Interlock = z.infer<typeof interlockSchema>;

export const deliverySchema = z.object({
  id: z.string(),
  alert: z.number().int().nullable(),
  message: handsetMessageSchema,
  state: z.enum(['waiting', 'delivered', 'failed']),
  attempts: z.number().int(),
  deliveredAt: z.number().nullable(),
  error: z.string().nullable(),
});
export type Delivery = z.infer<typeof deliverySchema>;

/** Something somebody wanted to hear of: no acknowledgement, counted apart from alerts. */
export const noticeSchema = z.object({
  id: z.number().int(),
  /** `null`, as its point and value: news of the node itself. */
  threshold: z.number().int().nullable(),
  node: z.string(),
  point: z.number().int().nullable(),
  edge: z.enum(['trip', 'clear']),
  title: z.string(),
  at: z.number(),
  value: z.number().nullable(),
  /** False: joined to the one before it, which was told. */
  told: z.boolean(),
});
export type Notice = z.infer<typeof noticeSchema>;

export const csvChangeSchema = z.object({
  line: z.number().int(),
  id: z.number().int().nullable(),
  what: z.enum(['changed', 'unchanged', 'refused']),
  text: z.string(),
});
/** What came, or would come, of a table of rules. */
export const csvReplySchema = z.object({ preview: z.boolean(), taken: z.boolean(), changes: z.array(csvChangeSchema) });
export type CsvReply = z.output<typeof csvReplySchema>;
