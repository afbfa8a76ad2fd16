import * as z from 'zod';
import { lampSpansSchema } from '../joining';
import { guardsSchema, pointNameSchema, readBackSchema } from '../wire';

/** What a pin can do. `adc1`, `adc2`: on which analog unit. `wake`: can end a deep sleep. */
export const capabilitySchema = z.enum(['in', 'out', 'adc1', 'adc2', 'dac', 'touch', 'i2c', 'uart', 'spi', 'pwm', 'wake']);
export type Capability = z.infer<typeof capabilitySchema>;

const pinSchema = z.object({
  name: z.string().min(1).max(12),
  can: z.array(capabilitySchema),
  /** Level that the board needs here while it starts, or it will not start as wanted. */
  strap: z.enum(['low', 'high']).nullable().default(null),
  /** Level the pin has by itself while the board resets, starts and is written. */
  atStart: z.enum(['low', 'high', 'floating', 'pulses']).default('floating'),
  /** Not to be used: the board needs it for itself. */
  reserved: z.enum(['flash', 'usb']).nullable().default(null),
});
export type Pin = z.infer<typeof pinSchema>;

const profileId = z.string().regex(/^[a-z0-9][a-z0-9-]{1,60}$/, 'use a–z, 0–9 and hyphen');
const amount = z.number().nonnegative();
/** Prices from so many on. */
const priceBreaks = z
  .array(z.object({ from: z.number().int().min(2), price: amount }))
  .max(8)
  .default([]);
/** Where the figures come from: `memory` marks those that are remembered and want checking against the board's own datasheet. */
const originSchema = z.enum(['memory', 'published', 'measured']);

/** A board: its pins, what they can do, and what it draws. One JSON file each, anyone can add one. */
export const boardProfileSchema = z.object({
  format: z.literal(1),
  kind: z.literal('board'),
  id: profileId,
  name: z.string().min(3).max(80),
  origin: originSchema,
  logicVolts: z.number().positive(),
  /** Supply voltage that the board's input takes. */
  supplyVolts: z.tuple([amount, amount]),
  pinMilliamps: z.number().positive(),
  regulatorMilliamps: z.number().positive(),
  adc: z.object({
    bits: z.number().int().min(8).max(24),
    fullScaleVolts: z.number().positive(),
    sourceOhmsMax: z.number().positive(),
    unitLostToRadio: z.enum(['adc1', 'adc2']).nullable(),
  }),
  draw: z.object({ sleepMicroamps: amount, activeMilliamps: amount, transmitMilliamps: amount, bootSeconds: amount, joinSeconds: amount }),
  firstWrite: z.enum(['this protocol', 'written elsewhere']),
  watchdog: z.boolean(),
  /** Room for one image, and for a configuration, bytes. */
  slotBytes: z.number().int().positive().default(1_310_720),
  storeBytes: z.number().int().positive().default(12_288),
  /** Fastest pulses that its inputs count without missing any, Hz. */
  pulseHertz: z.number().positive().default(1000),
  /** Its lamp: where it is and its colour, and patterns of its own where its loader does not follow the usual ones; `null`: it has none. */
  lamp: z
    .object({ where: z.string().min(3).max(80), spans: lampSpansSchema.default({}) })
    .nullable()
    .default(null),
  /** A second radio on the board, that must be off while an image comes over the air. */
  secondRadio: z.boolean().default(false),
  /** What it sends with, and whether another antenna can be fitted. */
  radio: z
    .object({ transmitDbm: z.number().min(-10).max(30), antennaConnector: z.boolean() })
    .default({ transmitDbm: 17, antennaConnector: false }),
  pins: z.array(pinSchema).min(2).max(80),
  price: amount,
  priceBreaks,
});
export type BoardProfile = z.infer<typeof boardProfileSchema>;

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

/** A threshold that nodes of a sheet are born with. */
export const defaultThresholdSchema = z.object({
  side: z.enum(['high', 'low']),
  setpoint: z.number(),
  deadband: z.number().nonnegative(),
  onDelaySeconds: amount.max(86_400),
  offDelaySeconds: amount.max(86_400),
  severity: z.enum(['advisory', 'warning', 'critical']),
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
  spikeStep: z.number().positive().nullable(),
  thresholds: z.array(defaultThresholdSchema).max(8).default([]),
});

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
  supplyVolts: z.tuple([amount, amount]),
  draw: z.object({ sleepMicroamps: amount, measuringMilliamps: amount, warmUpSeconds: amount }),
  terminals: z.array(terminalSchema).max(8),
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
});
export type PartProfile = z.infer<typeof partProfileSchema>;
export type Terminal = PartProfile['terminals'][number];

/** What feeds a node. */
export const supplyProfileSchema = z.object({
  format: z.literal(1),
  kind: z.literal('supply'),
  id: profileId,
  name: z.string().min(3).max(80),
  origin: originSchema,
  volts: z.tuple([amount, amount]),
  maxMilliamps: z.number().positive(),
  /** A panel that charges it; `null`: none. */
  panel: z.object({ watts: z.number().positive(), volts: z.number().positive() }).nullable().default(null),
  /** `null`: fed from the mains. */
  battery: z
    .object({
      chemistry: z.string().max(40),
      cells: z.number().int().min(1).max(24),
      capacityMilliampHours: z.number().positive(),
      usable: z.number().min(0.05).max(1),
      selfDischargePerYear: z.number().min(0).max(0.95),
      /** Of the pack, new and at 20 °C. */
      internalOhms: amount,
      /** Of the pack, cold and near its end. */
      worstOhms: amount,
      coldFactor: z.number().min(0.05).max(1),
      /** Volts of the pack at which it wants changing: rested and under the load of a transmission. */
      lowRestedVolts: amount,
      lowLoadedVolts: amount,
      flat: z.boolean(),
    })
    .nullable(),
  /** Drawn by the supply itself (regulator), µA. */
  quiescentMicroamps: amount,
  cautions: z.array(z.string().max(300)).default([]),
  price: amount,
  priceBreaks,
});
export type SupplyProfile = z.infer<typeof supplyProfileSchema>;

/** An antenna. `beamDegrees` is its half-power beam, 360 all round; `cableDb` what its own lead takes. */
export const antennaProfileSchema = z.object({
  format: z.literal(1),
  kind: z.literal('antenna'),
  id: profileId,
  name: z.string().min(3).max(80),
  origin: originSchema,
  gainDbi: z.number().min(-10).max(30),
  beamDegrees: z.number().min(1).max(360),
  cableDb: amount,
  /** On the board itself: it needs no connector and cannot be fitted elsewhere. */
  onBoard: z.boolean(),
  cautions: z.array(z.string().max(300)).default([]),
  price: amount,
  priceBreaks,
});
export type AntennaProfile = z.infer<typeof antennaProfileSchema>;

/** What carries nodes further: an access point with a metered cellular link of its own, or a repeater of the site's network. */
export const gatewayProfileSchema = z.object({
  format: z.literal(1),
  kind: z.literal('gateway'),
  id: profileId,
  name: z.string().min(3).max(80),
  origin: originSchema,
  uplink: z.enum(['cellular', 'wifi']),
  transmitDbm: z.number().min(-10).max(30),
  /** Nodes that its access point takes. */
  nodes: z.number().int().positive(),
  draw: z.object({ activeMilliamps: amount, idleMilliamps: amount }),
  supplyVolts: z.tuple([amount, amount]),
  cautions: z.array(z.string().max(300)).default([]),
  price: amount,
  priceBreaks,
});
export type GatewayProfile = z.infer<typeof gatewayProfileSchema>;

export const profileSchema = z.discriminatedUnion('kind', [
  boardProfileSchema,
  partProfileSchema,
  supplyProfileSchema,
  antennaProfileSchema,
  gatewayProfileSchema,
]);
export type Profile = z.infer<typeof profileSchema>;

/** All profiles by id. */
export interface Catalogue {
  readonly boards: ReadonlyMap<string, BoardProfile>;
  readonly parts: ReadonlyMap<string, PartProfile>;
  readonly supplies: ReadonlyMap<string, SupplyProfile>;
  readonly antennas: ReadonlyMap<string, AntennaProfile>;
  readonly gateways: ReadonlyMap<string, GatewayProfile>;
}

/** The antenna that a board has by itself. */
export const BOARD_ANTENNA = 'antenna-board';

/** Sorts profiles into a catalogue; a later one of the same id replaces an earlier one. */
export function catalogueOf(profiles: readonly Profile[]): Catalogue {
  const of = <K extends Profile['kind']>(kind: K): Map<string, Extract<Profile, { kind: K }>> =>
    new Map(
      profiles.filter((profile): profile is Extract<Profile, { kind: K }> => profile.kind === kind).map((profile) => [profile.id, profile]),
    );
  return { boards: of('board'), parts: of('part'), supplies: of('supply'), antennas: of('antenna'), gateways: of('gateway') };
}
