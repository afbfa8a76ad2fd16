import type { PlacedNode, SitePlan, Station } from '../site-plan';
import { bearingDegrees, gainTowards, type AntennaGain } from './antenna';
import { shadowingOutage } from './link';
import { Building, stationMegahertz, type Path, type Place } from './multi-wall';

/** The four classes of margin: ample from 20 dB, sound from 10, thin from 0, short below. Common practice. */
export type MarginClass = 'ample' | 'sound' | 'thin' | 'short';
export const MARGIN_STEPS = [0, 10, 20] as const;
export const marginClass = (marginDb: number): MarginClass =>
  marginDb >= MARGIN_STEPS[2] ? 'ample' : marginDb >= MARGIN_STEPS[1] ? 'sound' : marginDb >= MARGIN_STEPS[0] ? 'thin' : 'short';

/** What the arithmetic needs to know besides the plan: antennas by id, and how strongly a node sends. */
export interface RadioParts {
  antenna(id: string): AntennaGain;
  /** Transmitter power of a node's board, dBm. */
  nodePowerDbm(node: string): number;
}

/** One node's link to one station. */
export interface PlanLink {
  readonly node: string;
  readonly station: Station;
  readonly path: Path;
  /** Level at the node and at the station, dBm. */
  readonly downDbm: number;
  readonly upDbm: number;
  /** Of the weaker direction, over the planning floor. */
  readonly marginDb: number;
  readonly class: MarginClass;
  /** One standard deviation of the prediction, dB. */
  readonly errorDb: number;
  /** Chance that the link is good enough at all, by the error of the prediction. */
  readonly chanceGood: number;
  /** Share of the time that its level stays over the planning floor, by its fading, where the prediction is right. */
  readonly timeShare: number;
  /** Radiated power of node and station before the local limit, dBm, and the limit. */
  readonly nodeRadiatedDbm: number;
  readonly stationRadiatedDbm: number;
  readonly limitDbm: number;
  /** Both cables, dB. */
  readonly cableDb: number;
}

/** The limit for radiated power: a transmitter that would pass it is turned down. */
const radiated = (powerDbm: number, gainDbi: number, cableDb: number, limitDbm: number): { asSet: number; allowed: number } => {
  const asSet = powerDbm + gainDbi - cableDb;
  return { asSet, allowed: Math.min(asSet, limitDbm) };
};

/** A node's link to a station over the plan. A node's directional antenna points at the station. */
export function planLink(
  building: Building,
  plan: Pick<SitePlan, 'model'>,
  parts: RadioParts,
  node: PlacedNode,
  station: Station,
): PlanLink {
  const { planningFloorDbm, radiatedLimitDbm, errorDb, fadingDb } = plan.model;
  const path = building.path(station, node, stationMegahertz(station.channel));
  const nodeGain = parts.antenna(node.antenna).gainDbi;
  const stationAntenna = parts.antenna(station.antenna);
  const stationGain = gainTowards(stationAntenna, bearingDegrees(station, node) - station.aimDegrees);
  // The limit holds where the antenna sends most, so it is the peak gain that counts against it.
  const out = radiated(station.powerDbm, stationAntenna.gainDbi, station.cableDb, radiatedLimitDbm);
  const back = radiated(parts.nodePowerDbm(node.node), nodeGain, node.cableDb, radiatedLimitDbm);
  const downDbm = out.allowed + (stationGain - stationAntenna.gainDbi) - path.lossDb + nodeGain - node.cableDb;
  const upDbm = back.allowed - path.lossDb + stationGain - station.cableDb;
  const marginDb = Math.min(downDbm, upDbm) - planningFloorDbm;
  return {
    node: node.node,
    station,
    path,
    downDbm,
    upDbm,
    marginDb,
    class: marginClass(marginDb),
    errorDb,
    chanceGood: 1 - shadowingOutage(marginDb, errorDb),
    timeShare: 1 - shadowingOutage(marginDb, fadingDb),
    nodeRadiatedDbm: back.asSet,
    stationRadiatedDbm: out.asSet,
    limitDbm: radiatedLimitDbm,
    cableDb: station.cableDb + node.cableDb,
  };
}

/** The link a node uses: to the station it must use, or to the strongest of the access points and repeaters; `null` where there is none. */
export function bestLink(
  building: Building,
  plan: Pick<SitePlan, 'model' | 'stations'>,
  parts: RadioParts,
  node: PlacedNode,
): PlanLink | null {
  const open =
    node.via === null
      ? plan.stations.filter((station) => station.kind !== 'gateway')
      : plan.stations.filter((station) => station.id === node.via);
  let best: PlanLink | null = null;
  for (const station of open) {
    const link = planLink(building, plan, parts, node, station);
    if (best === null || link.marginDb > best.marginDb) best = link;
  }
  return best;
}

/** Every node's link, the thinnest first; a node without any station comes before all others. */
export function planLinks(plan: SitePlan, parts: RadioParts): { node: PlacedNode; link: PlanLink | null }[] {
  const building = Building.of(plan);
  return plan.nodes
    .map((node) => ({ node, link: bestLink(building, plan, parts, node) }))
    .sort((a, b) => (a.link?.marginDb ?? -Infinity) - (b.link?.marginDb ?? -Infinity) || a.node.node.localeCompare(b.node.node));
}

/**
 * The strongest other station heard at a node on an overlapping channel (fewer than 5 apart), and how far below the link it
 * is, dB; `null` where none overlaps.
 */
export function strongestInterferer(
  building: Building,
  plan: Pick<SitePlan, 'model' | 'stations'>,
  parts: RadioParts,
  node: PlacedNode,
  link: PlanLink,
): { station: Station; belowDb: number } | null {
  let worst: { station: Station; belowDb: number } | null = null;
  for (const station of plan.stations) {
    if (station.id === link.station.id || Math.abs(station.channel - link.station.channel) >= 5) continue;
    const belowDb = link.downDbm - planLink(building, plan, parts, node, station).downDbm;
    if (worst === null || belowDb < worst.belowDb) worst = { station, belowDb };
  }
  return worst;
}

/** How sure a link is, in words: what is not known of the building apart from what changes from minute to minute. */
export function surenessOf(link: Pick<PlanLink, 'chanceGood' | 'timeShare'>): string {
  const percent = (share: number): string => `${Math.round(share * 100)} %`;
  return `The chance that the link is good enough is ${percent(link.chanceGood)}; where the prediction is right it is so ${percent(link.timeShare)} of the time.`;
}

/** A place as a stand-in for a node there, for coverage and searches. */
export const nodeAt = (node: PlacedNode, place: Pick<Place, 'x' | 'y'>): PlacedNode => ({ ...node, x: place.x, y: place.y });
