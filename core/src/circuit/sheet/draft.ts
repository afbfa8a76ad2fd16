import * as z from 'zod';
import { pointNameSchema } from '../../wire';
import { livesOnBattery, type SupplyProfile } from '../profile';

export const loadKindSchema = z.enum(['resistive', 'inductive', 'motor', 'lamp', 'dc']);

/** One part on a sheet. */
export const draftPartSchema = z.object({
  /** Name within the sheet; stays when the part moves. */
  ref: z.string().regex(/^[a-z0-9-]{1,24}$/),
  part: z.string().max(64),
  /** How its supply reaches it: always, or only while it measures, by a pin or by a switch that a pin holds. Always where nothing is said. */
  feed: z.enum(['always', 'pin', 'transistor']).optional(),
  /** What drives its load or coil: the pin itself, or a transistor with a flyback diode behind it. The pin where nothing is said. */
  drive: z.enum(['pin', 'transistor']).optional(),
  /** Highest voltage of what it measures, V: of a 24 V bank while it charges, say. */
  hangsOn: z.number().min(0).max(100).optional(),
  /** What a switched load is: its kind and current, what its safe state is, and what protects it by itself. */
  load: z
    .object({
      name: z.string().max(40),
      kind: loadKindSchema,
      amps: z.number().min(0).max(100),
      safe: z.enum(['off', 'on']),
      /** What kind of machine it is, for the protection it must have by itself. */
      machine: z.enum(['none', 'heater', 'pump', 'gate', 'dump']),
      protectedBy: z.string().max(60),
      /** How long it is on in a day; two hours where nothing is said. */
      hoursPerDay: z.number().min(0).max(24).optional(),
    })
    .optional(),
});

/** A build sheet as it is drawn: what it is made of. Everything else follows. */
export const sheetDraftSchema = z.object({
  board: z.string().max(64),
  supply: z.string().max(64),
  antenna: z.string().max(64).default('antenna-board'),
  /**
   * How a battery node wakes: by the board's own sleep timer, or cut off altogether until a nanopower timer, a contact, or either
   * switches it on; or not at all, because it never sleeps. On the mains it stays awake whatever stands here.
   */
  wake: z.enum(['board timer', 'nanopower timer', 'contact pulse', 'contact pulse and timer', 'stays awake']).default('board timer'),
  /** A node that sleeps says with each report why it woke: a point of its own, kept and usable by rules. */
  tellsWake: z.boolean().default(false),
  reportSeconds: z.number().min(1).max(86_400),
  eventsPerDay: z.number().min(0).max(10_000),
  outdoors: z.boolean(),
  cableMetres: z.number().min(0).max(500),
  parts: z.array(draftPartSchema).max(24),
  /** Pins kept by hand: terminal `ref.terminal` → pin. */
  fixed: z.record(z.string(), z.string()),
  /** Pins as the version before gave them, and addresses (`ref.address`): kept where they still serve, so that built nodes stay right. */
  given: z.record(z.string(), z.string()).default({}),
  /** Reminders that somebody has seen to (`check part`): they count no more. */
  reminded: z.array(z.string().max(80)).max(60).default([]),
  /** What was changed of the points that follow, by the name they come with. */
  points: z
    .record(
      z.string(),
      z.object({ name: pointNameSchema.optional(), label: z.string().min(1).max(80).optional(), unit: z.string().max(16).optional() }),
    )
    .default({}),
  /** Where a panel stands: degrees north, its peak watts, and the share of possible sunshine in each month. */
  sun: z
    .object({
      latitude: z.number().min(-70).max(70),
      panelWatts: z.number().min(0.1).max(500),
      sunshine: z.array(z.number().min(0.02).max(1)).length(12),
      /** Share of days in each month on which frost forbids charging. */
      frost: z.array(z.number().min(0).max(1)).length(12).default(Array<number>(12).fill(0)),
      /** How the panel stands: 0 flat, 90 upright; where it looks, degrees clockwise from north. */
      tiltDegrees: z.number().min(0).max(90).default(0),
      facingDegrees: z.number().min(0).max(360).default(180),
    })
    .nullable()
    .default(null),
  /** Dividers in front of analog terminals, by `ref.terminal`, Ω. */
  dividers: z.record(z.string(), z.object({ upperOhms: z.number().positive(), lowerOhms: z.number().positive(), switched: z.boolean() })),
});
export type SheetDraft = z.infer<typeof sheetDraftSchema>;
export type DraftPart = SheetDraft['parts'][number];

/** Is the node cut off from its supply between wakes, so that nothing of it can notice anything but what switches it on? */
export const isCutOff = (draft: Pick<SheetDraft, 'wake'>): boolean => !['board timer', 'stays awake'].includes(draft.wake);

/** Does something wake it by the clock, so that it reports at its interval? */
export const wakesByClock = (draft: Pick<SheetDraft, 'wake'>): boolean => draft.wake !== 'contact pulse';

/** Does a node of this sheet sleep between reports? Only what lives on a battery does. */
export const sleeps = (draft: Pick<SheetDraft, 'wake'>, supply: Pick<SupplyProfile, 'role' | 'battery' | 'panel'>): boolean =>
  livesOnBattery(supply) && draft.wake !== 'stays awake';
