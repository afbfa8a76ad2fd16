import { readFileSync } from 'node:fs';
import * as z from 'zod';

const roomSchema = z.object({
  /** Mean temperature, °C, and how far it swings over `swingSeconds`. */
  celsius: z.number(),
  swingCelsius: z.number().nonnegative(),
  swingSeconds: z.number().positive(),
  /** Humidity, %, that the room starts at, settles at by itself, and settles at while its humidifier runs. */
  startPercent: z.number().min(1).max(100),
  restPercent: z.number().min(1).max(100),
  humidifiedPercent: z.number().min(1).max(100),
  /** Time constant of the exchange of moisture. */
  tauSeconds: z.number().positive(),
});

/** A quantity that is not of the air: swings slowly about a value. Points of a node that end in -2, -3 swing apart. */
const signalSchema = z.object({
  value: z.number(),
  swing: z.number().nonnegative(),
  swingSeconds: z.number().positive(),
  noise: z.number().nonnegative(),
  decimals: z.number().int().min(0).max(4),
  /** What the converter of a sensor gives for it, where nodes are told to send counts: offset + gain · value. No two sensors are quite alike. */
  counts: z.object({ gain: z.number(), offset: z.number() }).optional(),
});

/** The simulated building as data: what the stand-ins' surroundings are like and how fast they go. Files in `standins/worlds/`. */
export const worldSchema = z.object({
  /** Without a passphrase: open. A hidden one is in no scan by its name. */
  networks: z.array(
    z.object({ name: z.string(), passphrase: z.string().nullable(), rssiDbm: z.number(), hidden: z.boolean().default(false) }),
  ),
  rooms: z.record(z.string(), roomSchema),
  elsewhere: roomSchema,
  /** By name of point. */
  signals: z.record(z.string(), signalSchema).default({}),
  /** Levels at which nodes hear their network where it is not the network's own, dBm. */
  levels: z.record(z.string(), z.number()).default({}),
  /** Battery packs by build sheet, volts full and empty; nodes of other sheets hang on the mains. */
  batteries: z.record(z.string(), z.object({ full: z.number(), empty: z.number() })).default({}),
  ports: z.number().int().min(1).max(8),
  /** Speed of the serial line to stand-in boards. */
  bytesPerSecond: z.number().positive(),
  joinMs: z.number().nonnegative(),
  /** How fast nodes' waiting goes (joining, set-up, backing off) against real time. */
  patience: z.number().positive().default(1),
  /** How long a new image has to report in, from each start. */
  trialMs: z.number().positive().default(20_000),
  noise: z.object({ celsius: z.number().nonnegative(), percent: z.number().nonnegative() }),
});
export type World = z.infer<typeof worldSchema>;
export type SignalData = z.infer<typeof signalSchema>;
export type RoomData = z.infer<typeof roomSchema>;

/** Reads a world file. Throws what is wrong with it. */
export const readWorld = (file: string): World => worldSchema.parse(JSON.parse(readFileSync(file, 'utf8')));
