import * as z from 'zod';
import { amount, originSchema, priceBreaks, profileId } from './common';

/** What a node's supply is to it: `backup of mains` carries it over a power cut and is kept full; only the middle three empty. */
export const supplyRoleSchema = z.enum(['mains', 'primary', 'rechargeable', 'charged by panel', 'backup of mains']);
export type SupplyRole = z.infer<typeof supplyRoleSchema>;

/** What feeds a node. */
export const supplyProfileSchema = z.object({
  format: z.literal(1),
  kind: z.literal('supply'),
  id: profileId,
  name: z.string().min(3).max(80),
  origin: originSchema,
  /** What reaches the board's input, behind any regulator or step-down, V. */
  volts: z.tuple([amount, amount]),
  maxMilliamps: z.number().positive(),
  /** What lies before its regulator or step-down and can be tapped, V; `null`: nothing else than `volts`. */
  sourceVolts: z.tuple([amount, amount]).nullable().default(null),
  /** Between battery and board: nothing, a linear regulator (the same current), or a step-down (the same energy, less its losses). */
  converter: z
    .object({ kind: z.enum(['none', 'linear', 'step-down']), efficiency: z.number().min(0.3).max(1).default(1) })
    .default({ kind: 'none', efficiency: 1 }),
  role: supplyRoleSchema.optional(),
  /** A panel that charges it; `null`: none. */
  panel: z.object({ watts: z.number().positive(), volts: z.number().positive() }).nullable().default(null),
  /** `null`: fed from the mains and nothing else. */
  battery: z
    .object({
      chemistry: z.string().max(40),
      cells: z.number().int().min(1).max(24),
      capacityMilliampHours: z.number().positive(),
      /** Volts of the pack over most of its charge; the middle of its range where it is not said. */
      nominalVolts: z.number().positive().optional(),
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
      /** A capacitor beside it carries the peaks of a transmission. */
      peakCapacitor: z.boolean().default(false),
      /** It may be charged below 0 °C. */
      chargesInFrost: z.boolean().default(false),
    })
    .nullable(),
  /** Drawn by the supply itself (regulator), µA. */
  quiescentMicroamps: amount,
  cautions: z.array(z.string().max(300)).default([]),
  price: amount,
  priceBreaks,
  notes: z.string().max(400).default(''),
});
export type SupplyProfile = z.infer<typeof supplyProfileSchema>;

/** What a supply is to its node; profiles from before this was said: a panel charges, a battery without one is charged or changed. */
export function roleOf(supply: Pick<SupplyProfile, 'role' | 'battery' | 'panel'>): SupplyRole {
  if (supply.role) return supply.role;
  if (!supply.battery) return 'mains';
  if (supply.panel) return 'charged by panel';
  return /alkaline|primary|thionyl/.test(supply.battery.chemistry) ? 'primary' : 'rechargeable';
}

/** Does the node live on this battery, so that it has to save? A backup is there for power cuts. */
export const livesOnBattery = (supply: Pick<SupplyProfile, 'role' | 'battery' | 'panel'>): boolean =>
  ['primary', 'rechargeable', 'charged by panel'].includes(roleOf(supply));

/** Volts of the pack itself: from empty to full. */
export const packVolts = (supply: SupplyProfile): readonly [number, number] => supply.sourceVolts ?? supply.volts;

/** Current that a load at the board's input takes from the pack, mA for mA: less behind a step-down, by energy and its losses. */
export function packMilliamps(supply: SupplyProfile, boardMilliamps: number): number {
  if (supply.converter.kind !== 'step-down') return boardMilliamps;
  const [low, high] = packVolts(supply);
  const pack = supply.battery?.nominalVolts ?? (low + high) / 2;
  return (boardMilliamps * (supply.volts[0] + supply.volts[1])) / 2 / (pack * supply.converter.efficiency);
}
