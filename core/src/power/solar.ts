import { beamShares, extraterrestrialMegajoules, hourlyShares, peakSunHours, radiationFromSunshine, sunsetHourAngle } from './sun';

/** Energy of a panel in a day, Wh: Wp·PSH·η. η 0.5 to 0.7 for small systems: common practice. */
export const panelWattHours = (wattsPeak: number, sunHours: number, efficiency: number): number => wattsPeak * sunHours * efficiency;

/** Panel that a daily load needs in the worst month, Wp. */
export const panelNeededWatts = (loadWattHours: number, sunHours: number, efficiency: number, margin: number): number =>
  (loadWattHours * margin) / (sunHours * efficiency);

/** Days that a battery carries the load without any sun. */
export const autonomyDays = (batteryWattHours: number, depthOfDischarge: number, loadWattHoursPerDay: number): number =>
  (batteryWattHours * depthOfDischarge) / loadWattHoursPerDay;

/** Where a panel stands. */
export interface SolarSite {
  /** Degrees, south negative. */
  readonly latitude: number;
  /** Share of possible sunshine in each month, 0 to 1, January first. */
  readonly sunshine: readonly number[];
  /** Share of days in each month on which frost keeps the battery from being charged, January first. */
  readonly frost: readonly number[];
  /** Of the panel: 0 lies flat, 90 stands upright; and where it looks, degrees clockwise from north. */
  readonly tiltDegrees: number;
  readonly facingDegrees: number;
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
const DAYS = 365;
/** Days that a dull spell lasts on average. Common practice for cool wet climates: four to six. */
const DULL_SPELL_DAYS = 5;
/** Share of possible sunshine on a dull day, and at least on a bright one. */
const DULL = 0.03;
const BRIGHT = 0.65;
/** Light that the ground throws back. Common practice. */
const GROUND = 0.2;

/** Month (0 to 11) of a day of a year without a leap day. */
export const monthOfDay = (day: number): number => MONTH_ENDS.findIndex((end) => day <= end);

/** Numbers from 0 to 1 that look random and are the same for the same seed on every machine (mulberry32, public domain). */
export function seededChance(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(state ^ (state >>> 15), state | 1);
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4_294_967_296;
  };
}

/**
 * A year of sunshine by the day, as shares of what is possible: dull and bright days in spells (a two-state chain), each month's mean as
 * given. The same `seed` gives the same year.
 */
export function cloudyYear(sunshine: readonly number[], seed: number): number[] {
  const chance = seededChance(seed);
  let dull = chance() < 0.5;
  return Array.from({ length: DAYS }, (_, i) => {
    const mean = sunshine[monthOfDay(i + 1)] ?? 0.4;
    const bright = Math.max(BRIGHT, Math.min(1, mean * 1.3));
    const dullShare = Math.max(0, Math.min(1, (bright - mean) / (bright - DULL)));
    // Chances of changing that give both the share of dull days and the length of their spells; bright spells shrink where dull ones rule.
    const leave = dullShare >= 1 ? 0 : Math.min(1, Math.max(1 / DULL_SPELL_DAYS, (1 - dullShare) / dullShare / 40));
    const enter = dullShare >= 1 ? 1 : Math.min(1, (leave * dullShare) / (1 - dullShare));
    dull = dull ? chance() >= leave : chance() < enter;
    return dull ? DULL : bright;
  });
}

/** Diffuse share of a day's radiation by its clearness `kt`. Source: Erbs, Klein and Duffie 1982, daily correlation (from memory, as in Duffie and Beckman). */
export function diffuseShare(kt: number, sunsetDegrees: number): number {
  if (sunsetDegrees < 81.4) return kt < 0.715 ? 1 - 0.2727 * kt + 2.4495 * kt ** 2 - 11.9514 * kt ** 3 + 9.3879 * kt ** 4 : 0.143;
  return kt < 0.722 ? 1 + 0.2832 * kt - 2.5557 * kt ** 2 + 0.8448 * kt ** 3 : 0.175;
}

/** Everything of a site that does not change from year to year: by day, top of the atmosphere, and by hour how beam and sky light fall on the panel. */
export interface SunTable {
  readonly site: SolarSite;
  readonly top: readonly number[];
  readonly sunset: readonly number[];
  readonly beam: readonly (readonly number[])[];
  readonly sky: readonly (readonly number[])[];
}

export function sunTable(site: SolarSite): SunTable {
  const days = Array.from({ length: DAYS }, (_, i) => i + 1);
  return {
    site,
    top: days.map((day) => extraterrestrialMegajoules(site.latitude, day)),
    sunset: days.map((day) => (sunsetHourAngle(site.latitude, day) * 180) / Math.PI),
    beam: days.map((day) => beamShares(site.latitude, day, site.tiltDegrees, site.facingDegrees)),
    sky: days.map((day) => hourlyShares(site.latitude, day)),
  };
}

/**
 * A year by the hour: FAO-56 radiation of each day's sunshine, split into beam and sky light, on the panel as it stands (isotropic sky,
 * Liu and Jordan), less days on which frost forbids charging. `before`: the charge that the year begins with, 0 to 1.
 */
export function solarYear(
  table: SunTable,
  plan: SolarPlan,
  sunshine: readonly number[],
  frosty: (day: number) => boolean,
  before = 1,
): SolarYear {
  const { site } = table;
  const capacity = plan.batteryWattHours;
  const tilt = (site.tiltDegrees * Math.PI) / 180;
  const skyView = (1 + Math.cos(tilt)) / 2;
  const groundView = (GROUND * (1 - Math.cos(tilt))) / 2;
  const load = plan.loadMilliwatts / 1000;
  let charge = capacity * before;
  let lowest = before;
  let lowestDay = 1;
  let hoursFlat = 0;
  const daily: number[] = [];
  for (let i = 0; i < DAYS; i++) {
    const top = table.top[i] ?? 0;
    const ground = radiationFromSunshine(top, sunshine[i] ?? 0.4, 1);
    const diffuse = top > 0 ? diffuseShare(ground / top, table.sunset[i] ?? 90) : 1;
    const beamHours = frosty(i + 1) ? 0 : panelWattHours(plan.panelWatts, peakSunHours(ground * (1 - diffuse)), plan.efficiency);
    const skyHours = frosty(i + 1)
      ? 0
      : panelWattHours(plan.panelWatts, peakSunHours(ground * (diffuse * skyView + groundView)), plan.efficiency);
    const [beam, sky] = [table.beam[i] ?? [], table.sky[i] ?? []];
    for (let hour = 0; hour < 24; hour++) {
      charge += beamHours * (beam[hour] ?? 0) + skyHours * (sky[hour] ?? 0) - load;
      if (charge < 0) {
        hoursFlat++;
        charge = 0;
      }
      if (charge > capacity) charge = capacity;
      if (charge < lowest * capacity) {
        lowest = charge / capacity;
        lowestDay = i + 1;
      }
    }
    daily.push(charge / capacity);
  }
  return { lowest, lowestDay, hoursFlat, daily };
}

/** Years that are played through, each with clouds of its own. */
export const SOLAR_YEARS = 30;
/** Frost comes in spells too: each day of a month by its own number, the same in every run. */
const frostOf = (site: SolarSite, seed: number): ((day: number) => boolean) => {
  const chance = seededChance(seed + 7919);
  const days = Array.from({ length: DAYS }, (_, i) => chance() < (site.frost[monthOfDay(i + 1)] ?? 0));
  return (day) => days[day - 1] ?? false;
};

/** Thirty years with a panel: in how many it never fell to `floor` of its charge, and the worst of them. */
export function solarYears(table: SunTable, plan: SolarPlan, floor = 0.05): { holds: number; worst: SolarYear } {
  let held = 0;
  let worst: SolarYear | null = null;
  let charge = 1;
  for (let seed = 1; seed <= SOLAR_YEARS; seed++) {
    const year = solarYear(table, plan, cloudyYear(table.site.sunshine, seed), frostOf(table.site, seed), charge);
    charge = year.daily.at(-1) ?? 1;
    if (year.lowest > floor) held++;
    if (worst === null || year.hoursFlat > worst.hoursFlat || (year.hoursFlat === worst.hoursFlat && year.lowest < worst.lowest))
      worst = year;
  }
  return { holds: held / SOLAR_YEARS, worst: worst as SolarYear };
}

/** Sizes that panels are sold in, Wp. Common practice. */
export const PANEL_WATTS = [1, 2, 3, 5, 6, 10, 20, 30, 50, 80, 100, 150, 200] as const;

/** The smallest panel as it is sold that holds in at least `share` of the years; `null` where 200 Wp do not. */
export function panelThatHolds(
  table: SunTable,
  plan: Omit<SolarPlan, 'panelWatts'>,
  share = 0.95,
  floor = 0.05,
): { watts: number; holds: number } | null {
  let low = 0;
  let high: number = PANEL_WATTS.length;
  let found: { watts: number; holds: number } | null = null;
  while (low < high) {
    const middle = (low + high) >> 1;
    const watts = PANEL_WATTS[middle] ?? 200;
    const { holds } = solarYears(table, { ...plan, panelWatts: watts }, floor);
    if (holds >= share) {
      found = { watts, holds };
      high = middle;
    } else low = middle + 1;
  }
  return found;
}
