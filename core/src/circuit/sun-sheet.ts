import { autonomyDays, simulateSolarYear, smallestPanelWatts, type SolarYear } from '../power';
import type { SheetDraft } from './draft';
import { energyOf } from './energy';
import type { Catalogue } from './profile';

/** How a sheet with a panel fares over a typical year. */
export interface SheetSun extends SolarYear {
  readonly loadMilliwatts: number;
  /** Days that the full battery carries it without any sun. */
  readonly autonomyDays: number;
  /** Smallest panel that never runs flat at this place, W; `null` where none up to 200 W does. */
  readonly smallestPanelWatts: number | null;
}

/** Of a small system: panel, charger and battery together. Common practice 0.5 to 0.7. */
const EFFICIENCY = 0.6;
/** Share of possible sunshine by month, January first, in a cool wet climate. Common practice, to be edited for the site. */
export const COMMON_SUNSHINE = [0.2, 0.26, 0.33, 0.39, 0.41, 0.41, 0.41, 0.42, 0.37, 0.31, 0.23, 0.18];

/** The year of a sheet by its panel, place and load; `null` without a battery, or where its place is not given. `random` as in `energyOf`. */
export function sunOf(draft: SheetDraft, catalogue: Catalogue, random: () => number): SheetSun | null {
  const supply = catalogue.supplies.get(draft.supply);
  const energy = energyOf(draft, catalogue, random, 1);
  if (!supply?.battery || !supply.panel || !draft.sun || !energy) return null;
  const volts = (supply.volts[0] + supply.volts[1]) / 2;
  const batteryWattHours = (supply.battery.capacityMilliampHours / 1000) * volts * supply.battery.usable;
  const loadMilliwatts = energy.averageMilliamps * volts;
  const site = { latitude: draft.sun.latitude, sunshine: draft.sun.sunshine };
  const plan = { efficiency: EFFICIENCY, batteryWattHours, loadMilliwatts };
  return {
    ...simulateSolarYear(site, { ...plan, panelWatts: draft.sun.panelWatts }),
    loadMilliwatts,
    autonomyDays: autonomyDays(batteryWattHours, 1, (loadMilliwatts * 24) / 1000),
    smallestPanelWatts: smallestPanelWatts(site, plan, 0.01),
  };
}
