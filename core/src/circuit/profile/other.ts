import * as z from 'zod';
import { boardProfileSchema, type BoardProfile } from './board';
import { amount, originSchema, priceBreaks, profileId } from './common';
import { partProfileSchema, type PartProfile } from './part';
import { supplyProfileSchema, type SupplyProfile } from './supply';

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
