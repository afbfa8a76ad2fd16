import * as z from 'zod';
import { pointNameSchema } from '../wire';

export const loadKindSchema = z.enum(['resistive', 'inductive', 'motor', 'lamp', 'dc']);

/** One part on a sheet. */
export const draftPartSchema = z.object({
  /** Name within the sheet; stays when the part moves. */
  ref: z.string().regex(/^[a-z0-9-]{1,24}$/),
  part: z.string().max(64),
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
   * How a battery node wakes: by the board's own sleep timer, or cut off altogether until a nanopower timer or a contact
   * switches it on. On the mains it stays awake.
   */
  wake: z.enum(['board timer', 'nanopower timer', 'contact pulse']).default('board timer'),
  reportSeconds: z.number().min(1).max(86_400),
  eventsPerDay: z.number().min(0).max(10_000),
  outdoors: z.boolean(),
  cableMetres: z.number().min(0).max(500),
  parts: z.array(draftPartSchema).max(24),
  /** Pins kept by hand: terminal `ref.terminal` → pin. */
  fixed: z.record(z.string(), z.string()),
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
    })
    .nullable()
    .default(null),
  /** Dividers in front of analog terminals, by `ref.terminal`, Ω. */
  dividers: z.record(z.string(), z.object({ upperOhms: z.number().positive(), lowerOhms: z.number().positive(), switched: z.boolean() })),
});
export type SheetDraft = z.infer<typeof sheetDraftSchema>;
export type DraftPart = SheetDraft['parts'][number];
