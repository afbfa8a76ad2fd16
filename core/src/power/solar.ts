import { extraterrestrialMegajoules, hourlyShares, peakSunHours, radiationFromSunshine } from './sun';

/** Energy of a panel in a day, Wh: Wp·PSH·η. η 0.5 to 0.7 for small systems: common practice. */
export const panelWattHours = (wattsPeak: number, sunHours: number, efficiency: number): number => wattsPeak * sunHours * efficiency;

/** Panel that a daily load needs in the worst month, Wp. */
export const panelNeededWatts = (loadWattHours: number, sunHours: number, efficiency: number, margin: number): number =>
  (loadWattHours * margin) / (sunHours * efficiency);

/** Days that a battery carries the load without any sun. */
export const autonomyDays = (batteryWattHours: number, depthOfDischarge: number, loadWattHoursPerDay: number): number =>
  (batteryWattHours * depthOfDischarge) / loadWattHoursPerDay;

export interface SolarSite {
  /** Degrees, south negative. */
  readonly latitude: number;
  /** Share of possible sunshine in each month, 0 to 1, January first. */
  readonly sunshine: readonly number[];
}

export interface SolarPlan {
  readonly panelWatts: number;
  readonly efficiency: number;
  readonly batteryWattHours: number;
  readonly loadMilliwatts: number;
}

export interface SolarYear {
  /** Lowest state of charge, 0 to 1, and the day of the year it falls on. */
  readonly lowest: number;
  readonly lowestDay: number;
  /** Hours in which the load could not be carried. */
  readonly hoursFlat: number;
  /** State of charge at the end of each day. */
  readonly daily: readonly number[];
}

const MONTH_ENDS = [31, 59, 90, 120, 151, 181, 212, 243, 273, 304, 334, 365];

/** Month (0 to 11) of a day of a year without a leap day. */
export const monthOfDay = (day: number): number => MONTH_ENDS.findIndex((end) => day <= end);

/**
 * A typical year by the hour: clear-sky radiation of FAO-56 with each month's sunshine, spread over the day by the sun's
 * height, on a flat panel. Runs two years and reports the second, so that the start does not matter.
 */
export function simulateSolarYear(site: SolarSite, plan: SolarPlan): SolarYear {
  const capacity = plan.batteryWattHours;
  let charge = capacity;
  let lowest = 1;
  let lowestDay = 1;
  let hoursFlat = 0;
  let daily: number[] = [];
  const load = plan.loadMilliwatts / 1000;
  for (let year = 0; year < 2; year++) {
    lowest = 1;
    lowestDay = 1;
    hoursFlat = 0;
    daily = [];
    for (let day = 1; day <= 365; day++) {
      const sunshine = site.sunshine[monthOfDay(day)] ?? 0.4;
      const ground = radiationFromSunshine(extraterrestrialMegajoules(site.latitude, day), sunshine, 1);
      const energy = panelWattHours(plan.panelWatts, peakSunHours(ground), plan.efficiency);
      for (const share of hourlyShares(site.latitude, day)) {
        charge += energy * share - load;
        if (charge < 0) {
          hoursFlat++;
          charge = 0;
        }
        charge = Math.min(capacity, charge);
        if (charge / capacity < lowest) {
          lowest = charge / capacity;
          lowestDay = day;
        }
      }
      daily.push(charge / capacity);
    }
  }
  return { lowest, lowestDay, hoursFlat, daily };
}

/** The smallest panel, Wp to a tenth, with which the battery never falls below `floor` of its charge; `null` where 200 Wp are not enough. */
export function smallestPanelWatts(site: SolarSite, plan: Omit<SolarPlan, 'panelWatts'>, floor = 0.2): number | null {
  const holds = (panelWatts: number): boolean => simulateSolarYear(site, { ...plan, panelWatts }).lowest >= floor;
  if (!holds(200)) return null;
  let [low, high] = [0, 200];
  while (high - low > 0.05) {
    const middle = (low + high) / 2;
    if (holds(middle)) high = middle;
    else low = middle;
  }
  return Math.ceil(high * 10) / 10;
}
