import * as z from 'zod';
import { bootSchema, ROM_FAMILIES } from '../../rom-loader';
import { lampSpansSchema } from '../../joining';
import { amount, originSchema, priceBreaks, profileId } from './common';

/**
 * What a pin can do. `adc1`, `adc2`: on which analog unit. `uart`: serial in either direction. `wake`: its change can end a deep
 * sleep; the reset line of a sleep timer cannot, whatever it is called.
 */
export const capabilitySchema = z.enum(['in', 'out', 'adc1', 'adc2', 'dac', 'touch', 'i2c', 'uart', 'spi', 'pwm', 'wake']);
export type Capability = z.infer<typeof capabilitySchema>;

const pinSchema = z.object({
  name: z.string().min(1).max(12),
  can: z.array(capabilitySchema),
  /** Level that the board needs here while it starts, or it will not start as wanted. */
  strap: z.enum(['low', 'high']).nullable().default(null),
  /** Level the pin has by itself while the board resets, starts and is written. */
  atStart: z.enum(['low', 'high', 'floating', 'pulses']).default('floating'),
  /** Not to be used: the board needs it for itself. `console`: it is written through it. */
  reserved: z.enum(['flash', 'usb', 'console', 'modem']).nullable().default(null),
  /** Joined to the board's own reset while it sleeps by its timer: taken then, free otherwise. */
  wakesByTimer: z.boolean().default(false),
});
export type Pin = z.infer<typeof pinSchema>;

/** A bus or serial port that the board's chip has: pins for its first wire (data; receive) and second (clock; transmit), `null`: any that can. */
const portSchema = z.object({
  first: z.array(z.string().max(12)).min(1).nullable().default(null),
  second: z.array(z.string().max(12)).min(1).nullable().default(null),
});
export type Port = z.infer<typeof portSchema>;
const anyPorts = (count: number): Port[] => Array.from({ length: count }, () => ({ first: null, second: null }));

/** A board: its pins, what they can do, and what it draws. One JSON file each, anyone can add one. */
export const boardProfileSchema = z.object({
  format: z.literal(1),
  kind: z.literal('board'),
  id: profileId,
  name: z.string().min(3).max(80),
  origin: originSchema,
  logicVolts: z.number().positive(),
  /** Supply voltage that the board's input takes, V. */
  supplyVolts: z.tuple([amount, amount]),
  /** Its logic-volts pin takes a regulated supply, past its own regulator. */
  logicInput: z.boolean().default(false),
  pinMilliamps: z.number().positive(),
  /** What its regulator gives, the board's own draw included, mA. */
  regulatorMilliamps: z.number().positive(),
  adc: z.object({
    bits: z.number().int().min(8).max(24),
    fullScaleVolts: z.number().positive(),
    sourceOhmsMax: z.number().positive(),
    unitLostToRadio: z.enum(['adc1', 'adc2']).nullable(),
  }),
  draw: z.object({ sleepMicroamps: amount, activeMilliamps: amount, transmitMilliamps: amount, bootSeconds: amount, joinSeconds: amount }),
  /** What the chip sits on: a bare module, or a carrier whose regulator and lamp decide what it draws asleep. */
  carrier: z.enum(['module bare', 'carrier good', 'carrier ordinary']).default('carrier ordinary'),
  /**
   * How it is written first: it holds our loader (`this protocol`), the loader in its chip's ROM is spoken to, or another tool chain does it.
   * Later everything goes over the air.
   */
  firstWrite: z.enum(['this protocol', ...ROM_FAMILIES, 'written elsewhere']),
  /** How it comes into that loader, and which button a person holds where it does not by itself. */
  boot: bootSchema.default(bootSchema.parse({ way: 'two transistors' })),
  /** Its flash, bytes. */
  flashBytes: z
    .number()
    .int()
    .positive()
    .default(4 * 1024 * 1024),
  /** Who has written such a board for real, and when; `null`: nobody has told us. */
  confirmed: z
    .object({ by: z.string().min(1).max(60), at: z.string().max(40) })
    .nullable()
    .default(null),
  watchdog: z.boolean(),
  /** It gives others a network of its own: it never sleeps. */
  accessPoint: z.boolean().default(false),
  ports: z
    .object({ i2c: z.array(portSchema).max(4).default(anyPorts(2)), uart: z.array(portSchema).max(6).default(anyPorts(2)) })
    .default({ i2c: anyPorts(2), uart: anyPorts(2) }),
  /** Pull-ups of its own on the first I²C port, Ω; `null`: none. */
  i2cPullUpOhms: z.number().positive().nullable().default(null),
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
  notes: z.string().max(400).default(''),
});
export type BoardProfile = z.infer<typeof boardProfileSchema>;

/** Highest voltage that any pin of the board survives, V: its logic supply and 0.3 V. Common practice for CMOS inputs. */
export const pinVoltsMax = (board: Pick<BoardProfile, 'logicVolts'>): number => board.logicVolts + 0.3;
