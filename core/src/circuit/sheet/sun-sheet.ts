import { autonomyDays, panelThatHolds, solarYears, sunTable, type SolarYear } from '../../power';
import type { SheetDraft } from './draft';
import { energyOf } from './energy';
import { packMilliamps, packVolts, type Catalogue } from '../profile';

/** How a sheet with a panel fares over thirty years of clouds. */
export interface SheetSun {
  /** The worst of the years. */
  readonly worst: SolarYear;
  /** Share of the years in which it never runs flat with the panel it has. */
  readonly holds: number;
  readonly loadMilliwatts: number;
  /** Days that the full battery carries it without any sun. */
  readonly autonomyDays: number;
  /** Smallest panel as it is sold that holds in at least nineteen years of twenty, W, and its share; `null` where none up to 200 W does. */
  readonly smallest: { readonly watts: number; readonly holds: number } | null;
}

/** Of a small system: panel, charger and battery together. Common practice 0.5 to 0.7. */
const EFFICIENCY = 0.6;
/** Share of possible sunshine by month of the northern half, January first, in a cool wet climate. Common practice, to be edited for the site. */
const NORTHERN_SUNSHINE = [0.2, 0.26, 0.33, 0.39, 0.41, 0.41, 0.41, 0.42, 0.37, 0.31, 0.23, 0.18];
/** Share of days that stay below freezing there, January first. Common practice, to be edited for the site. */
const NORTHERN_FROST = [0.1, 0.08, 0.03, 0, 0, 0, 0, 0, 0, 0, 0.02, 0.07];
const ofHalf = (months: readonly number[], latitude: number): number[] =>
  latitude >= 0 ? [...months] : months.map((_, i) => months[(i + 6) % 12] ?? 0);

/** A panel's place to begin with: months of its own half of the earth, tilted for the winter, facing the equator. */
export const usualSun = (latitude: number, panelWatts: number): NonNullable<SheetDraft['sun']> => ({
  latitude,
  panelWatts,
  sunshine: ofHalf(NORTHERN_SUNSHINE, latitude),
  frost: Math.abs(latitude) < 35 ? Array<number>(12).fill(0) : ofHalf(NORTHERN_FROST, latitude),
  tiltDegrees: Math.round(Math.min(75, Math.abs(latitude) + 15)),
  facingDegrees: latitude >= 0 ? 180 : 0,
});

/** The years of a sheet by its panel, place and load; `null` without a battery, or where its place is not given. `random` as in `energyOf`. */
export function sunOf(draft: SheetDraft, catalogue: Catalogue, random: () => number): SheetSun | null {
  const supply = catalogue.supplies.get(draft.supply);
  const energy = energyOf(draft, catalogue, random, 1);
  if (!supply?.battery || !supply.panel || !draft.sun || !energy) return null;
  const [low, high] = packVolts(supply);
  const volts = supply.battery.nominalVolts ?? (low + high) / 2;
  const batteryWattHours = (supply.battery.capacityMilliampHours / 1000) * volts * supply.battery.usable;
  const loadMilliwatts = (packMilliamps(supply, energy.averageMilliamps) + supply.quiescentMicroamps / 1000) * volts;
  const { panelWatts, frost, ...place } = draft.sun;
  const freezes = draft.outdoors && !supply.battery.chargesInFrost;
  const table = sunTable({ ...place, frost: freezes ? frost : [] });
  const plan = { efficiency: EFFICIENCY, batteryWattHours, loadMilliwatts };
  return {
    ...solarYears(table, { ...plan, panelWatts }),
    loadMilliwatts,
    autonomyDays: autonomyDays(batteryWattHours, 1, (loadMilliwatts * 24) / 1000),
    smallest: panelThatHolds(table, plan),
  };
}
