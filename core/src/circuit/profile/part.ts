import * as z from 'zod';
import { SEVERITIES } from '../../alarm';
import { rawScaleSchema } from '../../calibration';
import { guardsSchema, pointNameSchema, readBackSchema } from '../../wire';
import { amount, originSchema, priceBreaks, profileId } from './common';

/** How a terminal of a part is joined to the board. */
export const signalSchema = z.enum([
  'i2c',
  'single-wire',
  'single-bus',
  'analog',
  'digital-in',
  'pulse-in',
  'contact',
  'digital-out',
  'pwm-out',
  'uart',
]);
export type Signal = z.infer<typeof signalSchema>;

const terminalSchema = z.object({
  name: z.string().min(1).max(20),
  signal: signalSchema,
  /** Highest voltage the terminal puts on the board's pin; analog: at full output. */
  volts: amount.default(3.3),
  /** Source resistance of an analog terminal, Ω. */
  sourceOhms: amount.default(0),
  /** Fastest pulses it sends, Hz. */
  hertz: amount.default(0),
  /** Current that the board's pin must give, mA. */
  milliamps: amount.default(0),
});
export type Terminal = z.infer<typeof terminalSchema>;

/** A threshold that nodes of a sheet are born with. */
export const defaultThresholdSchema = z.object({
  side: z.enum(['high', 'low']),
  setpoint: z.number(),
  deadband: z.number().nonnegative(),
  onDelaySeconds: amount.max(86_400),
  offDelaySeconds: amount.max(86_400),
  severity: z.enum(SEVERITIES),
});
export type DefaultThreshold = z.infer<typeof defaultThresholdSchema>;

const partPointSchema = z.object({
  name: pointNameSchema,
  label: z.string().min(1).max(80),
  unit: z.string().max(16),
  min: z.number(),
  max: z.number(),
  decimals: z.number().int().min(0).max(6),
  physicalMin: z.number(),
  physicalMax: z.number(),
  /** What the node sends where that is not `unit`; `null`: it sends the point's unit. */
  raw: rawScaleSchema.nullable().default(null),
  spikeStep: z.number().positive().nullable(),
  /** So many readings before are what each is held against as well: for sensors whose echoes or contacts go astray now and then. */
  spikeWindow: z.number().int().min(5).max(31).nullable().default(null),
  /** Contacts and states report when they change, and their value holds between; everything else reports at its interval. */
  reports: z.enum(['interval', 'change']).default('interval'),
  /**
   * Hours within which a healthy sensor must show another value, six at least; `null`: it may rightly stand still (rain, flow, wind,
   * light, states, whatever is shown in whole steps).
   */
  changesWithinHours: z.number().min(6).max(720).nullable().default(null),
  /** A value at which it may stand still all the same: saturated air, no wind, the dark. */
  restsAt: z.number().nullable().default(null),
  /** What it gives in the place of a reading that failed, as its node sends it: a code, a zero that cannot be. */
  faultValues: z.array(z.number()).max(8).default([]),
  /** It protects people, animals or the house (flood, frost): at most an hour between its signs of life. */
  protective: z.boolean().default(false),
  thresholds: z.array(defaultThresholdSchema).max(8).default([]),
});

/**
 * How a part gets its power. `supply`: terminals for supply and ground besides its signals. `contact`: two terminals, its signal and
 * ground, nothing else. `resistor`: two terminals of a changing resistance, fed through a series resistor. `pin`: two terminals, driven
 * by its pin. `source`: the tap of a voltage that is there anyhow (a battery). `board`: part of the board, no wire at all.
 */
export const feedSchema = z.enum(['supply', 'contact', 'resistor', 'pin', 'source', 'board']);
export type Feed = z.infer<typeof feedSchema>;

/** A sensor, an input or an output. One JSON file each, anyone can add one. */
export const partProfileSchema = z.object({
  format: z.literal(1),
  kind: z.literal('part'),
  id: profileId,
  name: z.string().min(3).max(80),
  group: z.enum([
    'climate',
    'soil',
    'level',
    'contact',
    'motion',
    'light',
    'air',
    'electrical',
    'flow',
    'weather',
    'mechanical',
    'output',
    'other',
  ]),
  origin: originSchema,
  fed: feedSchema.optional(),
  /** `resistor`: the resistor between its supply and its signal, Ω. */
  seriesOhms: z.number().positive().nullable().default(null),
  /** A contact's state at rest (door shut, float down); a closed one lets its pull-up drain. */
  restsClosed: z.boolean().default(false),
  supplyVolts: z.tuple([amount, amount]),
  /** Asleep: what it draws whenever it is fed, measuring or not. */
  draw: z.object({ sleepMicroamps: amount, measuringMilliamps: amount, warmUpSeconds: amount }),
  terminals: z.array(terminalSchema).max(8),
  /** Highest voltage of what it hangs on, where it measures a supply of its own (a bank, a panel), V; `null`: it does not. */
  measuresVoltsMax: z.number().positive().nullable().default(null),
  /** `own supply`: it measures the node's own battery. */
  measures: z.enum(['own supply', 'other']).default('other'),
  /** Addresses on the bus that it can be set to, the usual one first. */
  i2cAddresses: z.array(z.number().int().min(3).max(0x77)).default([]),
  /** Pull-up on the module itself, Ω; `null`: none, the bus needs one. */
  fittedPullUpOhms: z.number().positive().nullable().default(null),
  /** Fastest it can be read, s. */
  sampleSeconds: amount,
  points: z.array(partPointSchema).max(8),
  output: z
    .object({
      point: pointNameSchema,
      label: z.string().max(80),
      /** What the contact may switch of a resistive load, A; 0: it drives its own load only. */
      contactAmps: amount,
      contacts: z.enum(['open', 'closed', 'both']),
      coilMilliamps: amount,
      /** Has its own transistor and flyback diode. */
      driver: z.boolean(),
      activeLevel: z.enum(['low', 'high']),
      readBack: readBackSchema,
      guards: guardsSchema,
    })
    .nullable()
    .default(null),
  cautions: z.array(z.string().max(300)).default([]),
  price: amount,
  priceBreaks,
  notes: z.string().max(400).default(''),
});
export type PartProfile = z.infer<typeof partProfileSchema>;

/** How a part is fed; profiles from before this was said: contacts have two terminals, what has none is part of the board. */
export function feedOf(part: Pick<PartProfile, 'fed' | 'terminals'>): Feed {
  if (part.fed) return part.fed;
  if (part.terminals.length === 0) return 'board';
  return part.terminals.every((terminal) => terminal.signal === 'contact') ? 'contact' : 'supply';
}
