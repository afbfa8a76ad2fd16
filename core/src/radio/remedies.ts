import { freeId, isInside, type PlacedNode, type SitePlan, type Station } from '../site-plan';
import type { AntennaGain } from './antenna';
import { Building } from './multi-wall';
import { bestLink, planLink, strongestInterferer, type PlanLink, type RadioParts } from './plan-link';

/** An antenna that could be fitted, from the catalogue. */
export interface AntennaChoice extends AntennaGain {
  readonly id: string;
  readonly name: string;
  readonly price: number;
  readonly cableDb: number;
}

/** One thing that helps, already worked out on the plan. `plan` is the plan with it done. */
export interface Remedy {
  readonly kind: 'move the node' | 'move the station' | 'antenna' | 'repeater' | 'gateway set' | 'channel';
  readonly title: string;
  readonly detail: string;
  readonly marginBeforeDb: number;
  readonly marginAfterDb: number;
  readonly price: number;
  /** Does it reach a sound link? */
  readonly enough: boolean;
  readonly plan: SitePlan;
}

export interface RemedyMeans {
  readonly antennas: readonly AntennaChoice[];
  readonly repeaterPrice: number;
  readonly gatewayPrice: number;
  /** Antenna of a new repeater or gateway. */
  readonly stationAntenna: string;
  /** Can an antenna be fitted to this node's board? */
  takesAntenna(node: string): boolean;
  /** How far this node can be moved while its parts stay where they measure, m: its cable. */
  reachMetres(node: string): number;
}

/** A link is mended when it is sound. */
export const TARGET_DB = 10;
const FARTHEST_METRES = 6;
const STEP_METRES = 0.5;
/** No antenna of a house has more, dBi. */
const MOST_DBI = 24;
const figure = (value: number): string => (Math.round(value * 10) / 10).toFixed(1);
const signed = (value: number): string => `${value < 0 ? '−' : '+'}${figure(Math.abs(value))}`;

/**
 * What would mend a thin or short link, computed by search over the plan: ranked by whether it is enough, then by price,
 * then by the margin it gives. Nothing is changed. `node` must stand on the plan.
 */
export function remediesFor(plan: SitePlan, parts: RadioParts, nodeId: string, means: RemedyMeans): Remedy[] {
  const node = plan.nodes.find((one) => one.node === nodeId);
  if (!node) return [];
  const building = Building.of(plan);
  const now = bestLink(building, plan, parts, node);
  const before = now?.marginDb ?? -100;
  const found = [
    before < TARGET_DB ? moveNode(plan, building, parts, node, before, means) : null,
    now && before < TARGET_DB ? moveStation(plan, building, parts, node, now) : null,
    before < TARGET_DB ? antenna(plan, building, parts, node, before, means) : null,
    now && before < TARGET_DB ? repeater(plan, building, parts, node, before, means) : null,
    before < TARGET_DB ? gatewaySet(plan, parts, node, before, means) : null,
    now ? channel(plan, building, parts, node, now) : null,
  ].filter((one) => one !== null);
  return found
    .filter((one) => one.marginAfterDb > before + 0.5 || one.kind === 'channel')
    .sort((a, b) => Number(b.enough) - Number(a.enough) || a.price - b.price || b.marginAfterDb - a.marginAfterDb);
}

const stationIds = (plan: SitePlan): string[] => plan.stations.map((station) => station.id);
const replaceNode = (plan: SitePlan, node: PlacedNode): SitePlan => ({
  ...plan,
  nodes: plan.nodes.map((one) => (one.node === node.node ? node : one)),
});

/** The nearest place that its cable reaches, in its own room and on this side of every wall, where the link is sound; else the best of them. */
function moveNode(
  plan: SitePlan,
  building: Building,
  parts: RadioParts,
  node: PlacedNode,
  before: number,
  means: RemedyMeans,
): Remedy | null {
  const reach = Math.min(FARTHEST_METRES, means.reachMetres(node.node));
  const level = building.levelOf(node.floor);
  const floor = plan.floors.find((one) => one.id === node.floor);
  const room = floor?.rooms.find((one) => isInside(one.outline, [node.x, node.y]));
  let best: { node: PlacedNode; margin: number; far: number } | null = null;
  const steps = Math.floor(reach / STEP_METRES);
  for (let i = -steps; i <= steps; i++) {
    for (let j = -steps; j <= steps; j++) {
      const [dx, dy] = [i * STEP_METRES, j * STEP_METRES];
      const far = Math.hypot(dx, dy);
      if (far === 0 || far > reach) continue;
      const moved = { ...node, x: node.x + dx, y: node.y + dy };
      if (room && !isInside(room.outline, [moved.x, moved.y])) continue;
      // A cable does not go through a wall by itself.
      if (building.crossesWall(node, moved, level)) continue;
      const margin = bestLink(building, plan, parts, moved)?.marginDb ?? -100;
      const better =
        best === null ||
        (margin >= TARGET_DB && best.margin >= TARGET_DB ? far < best.far : Math.min(margin, TARGET_DB) > Math.min(best.margin, TARGET_DB));
      if (better) best = { node: moved, margin, far };
    }
  }
  if (!best) return null;
  return {
    kind: 'move the node',
    title: `Move ${node.node} ${figure(best.far)} m`,
    detail: `${room ? `within ${room.name}, ` : ''}as far as its cable reaches: ${signed(best.margin - before)} dB`,
    marginBeforeDb: before,
    marginAfterDb: best.margin,
    price: 0,
    enough: best.margin >= TARGET_DB,
    plan: replaceNode(plan, best.node),
  };
}

/** The place for its station on a 1 m grid over the floor that lifts the thinnest of all links most. */
function moveStation(plan: SitePlan, building: Building, parts: RadioParts, node: PlacedNode, now: PlanLink): Remedy | null {
  const station = now.station;
  const floor = plan.floors.find((one) => one.id === station.floor);
  const spots = floor?.walls.flatMap((wall) => [wall.from, wall.to]) ?? [];
  if (spots.length === 0) return null;
  const others = plan.nodes.filter((one) => one.node !== node.node);
  // Only what this station serves, or might, can change; the rest keeps the best of the other stations.
  const fixed = new Map(
    others.map((one) => [
      one.node,
      bestLink(building, { ...plan, stations: plan.stations.filter((s) => s.id !== station.id) }, parts, one)?.marginDb ?? -100,
    ]),
  );
  const own = (moved: Station, one: PlacedNode): number =>
    (one.via === null ? moved.kind !== 'gateway' : one.via === moved.id) ? planLink(building, plan, parts, one, moved).marginDb : -100;
  const wasUnserved = new Set(others.filter((one) => Math.max(fixed.get(one.node) ?? -100, own(station, one)) < 0).map((one) => one.node));
  const [xs, ys] = [spots.map(([x]) => x), spots.map(([, y]) => y)];
  let best: { station: Station; margin: number; least: { node: string; margin: number } } | null = null;
  for (let x = Math.ceil(Math.min(...xs)) + 0.5; x < Math.max(...xs); x++) {
    for (let y = Math.ceil(Math.min(...ys)) + 0.5; y < Math.max(...ys); y++) {
      const moved = { ...station, x, y };
      const margin = planLink(building, plan, parts, node, moved).marginDb;
      const floorOfBest = best ? Math.min(best.margin, best.least.margin) : -Infinity;
      if (margin <= floorOfBest) continue;
      let least = { node: '', margin: Infinity };
      for (const one of others) {
        if (wasUnserved.has(one.node)) continue;
        const theirs = Math.max(fixed.get(one.node) ?? -100, own(moved, one));
        if (theirs < least.margin) least = { node: one.node, margin: theirs };
        if (least.margin <= floorOfBest) break;
      }
      if (Math.min(margin, least.margin) > floorOfBest) best = { station: moved, margin, least };
    }
  }
  if (!best) return null;
  const far = Math.hypot(best.station.x - station.x, best.station.y - station.y);
  if (far < 0.75) return null;
  return {
    kind: 'move the station',
    title: `Move ${station.name} ${figure(far)} m`,
    detail: `${node.node} ${signed(best.margin - now.marginDb)} dB${best.least.node ? `; least of the rest: ${best.least.node}, ${figure(best.least.margin)} dB` : ''}`,
    marginBeforeDb: now.marginDb,
    marginAfterDb: best.margin,
    price: 0,
    enough: best.margin >= TARGET_DB && best.least.margin >= 0,
    plan: { ...plan, stations: plan.stations.map((one) => (one.id === station.id ? (best as { station: Station }).station : one)) },
  };
}

const TRIED = 'antenna that is tried';

/** The cheapest antenna at the node that is enough, or the one that helps most; the limit on radiated power counts. */
function antenna(
  plan: SitePlan,
  building: Building,
  parts: RadioParts,
  node: PlacedNode,
  before: number,
  means: RemedyMeans,
): Remedy | null {
  if (!means.takesAntenna(node.node)) return null;
  const tried = means.antennas
    .filter((one) => one.id !== node.antenna)
    .map((choice) => {
      const fitted = { ...node, antenna: choice.id, cableDb: choice.cableDb };
      return { choice, fitted, margin: bestLink(building, plan, parts, fitted)?.marginDb ?? -100 };
    })
    .sort(
      (a, b) =>
        Number(b.margin >= TARGET_DB) - Number(a.margin >= TARGET_DB) ||
        (a.margin >= TARGET_DB ? a.choice.price - b.choice.price : b.margin - a.margin),
    );
  const [first] = tried;
  if (!first) return null;
  // Tried, not reckoned: beyond the limit for radiated power more gain only helps to hear.
  const withGain = (gainDbi: number): number => {
    const own = { ...parts, antenna: (id: string) => (id === TRIED ? { gainDbi, beamDegrees: 360 } : parts.antenna(id)) };
    return bestLink(building, plan, own, { ...node, antenna: TRIED, cableDb: 0 })?.marginDb ?? -100;
  };
  const needed = Array.from({ length: MOST_DBI + 1 }, (_, dbi) => dbi).find((dbi) => withGain(dbi) >= TARGET_DB);
  const wanted =
    first.margin >= TARGET_DB
      ? ''
      : needed === undefined
        ? '; no antenna makes it sound within that limit'
        : `; ${needed} dBi without a cable would make it sound`;
  return {
    kind: 'antenna',
    title: `${first.choice.name} at ${node.node}`,
    detail: `${signed(first.margin - before)} dB within the limit for radiated power${wanted}`,
    marginBeforeDb: before,
    marginAfterDb: first.margin,
    price: first.choice.price,
    enough: first.margin >= TARGET_DB,
    plan: replaceNode(plan, first.fitted),
  };
}

/** Where a repeater does most: the place with the best of the weaker of its two hops. */
function repeater(
  plan: SitePlan,
  building: Building,
  parts: RadioParts,
  node: PlacedNode,
  before: number,
  means: RemedyMeans,
): Remedy | null {
  if (node.via !== null) return null;
  const base = plan.stations.filter((one) => one.kind === 'access point');
  let best: { station: Station; margin: number; hop: number } | null = null;
  for (const from of base) {
    for (let i = 1; i < 24; i++) {
      for (const aside of [-6, -4, -2, 0, 2, 4, 6]) {
        const [dx, dy] = [node.x - from.x, node.y - from.y];
        const length = Math.max(1e-6, Math.hypot(dx, dy));
        const station: Station = {
          ...from,
          id: freeId(stationIds(plan), 'repeater'),
          name: 'Repeater',
          kind: 'repeater',
          floor: i < 12 ? from.floor : node.floor,
          x: from.x + (dx * i) / 24 - (dy / length) * aside,
          y: from.y + (dy * i) / 24 + (dx / length) * aside,
          antenna: means.stationAntenna,
          cableDb: 0,
        };
        const feeder: PlacedNode = {
          node: 'repeater',
          floor: station.floor,
          x: station.x,
          y: station.y,
          heightMetres: station.heightMetres,
          antenna: means.stationAntenna,
          cableDb: 0,
          via: null,
        };
        // A repeater sends as strongly as the station it repeats.
        const hop = planLink(building, plan, { ...parts, nodePowerDbm: () => from.powerDbm }, feeder, from).marginDb;
        const margin = planLink(building, plan, parts, node, station).marginDb;
        if (best === null || Math.min(hop, margin) > Math.min(best.hop, best.margin)) best = { station, margin, hop };
      }
    }
  }
  if (!best) return null;
  const weaker = Math.min(best.hop, best.margin);
  return {
    kind: 'repeater',
    title: `A repeater at ${figure(best.station.x)}, ${figure(best.station.y)} m`,
    detail: `${signed(weaker - before)} dB; its own link has ${figure(best.hop)} dB. It halves the rate of what it carries and needs mains`,
    marginBeforeDb: before,
    marginAfterDb: weaker,
    price: means.repeaterPrice,
    enough: weaker >= TARGET_DB,
    plan: { ...plan, stations: [...plan.stations, best.station] },
  };
}

/** A gateway with its own access point two metres from the node, and a metered uplink. */
function gatewaySet(plan: SitePlan, parts: RadioParts, node: PlacedNode, before: number, means: RemedyMeans): Remedy | null {
  const near = plan.stations.filter((one) => one.kind === 'gateway');
  const building = Building.of(plan);
  const there = near
    .map((station) => ({ station, margin: planLink(building, plan, parts, node, station).marginDb }))
    .sort((a, b) => b.margin - a.margin)[0];
  if (there && there.margin >= TARGET_DB) {
    if (node.via === there.station.id) return null;
    return {
      kind: 'gateway set',
      title: `Through ${there.station.name}`,
      detail: `which stands there already: ${signed(there.margin - before)} dB, over its metered link`,
      marginBeforeDb: before,
      marginAfterDb: there.margin,
      price: 0,
      enough: true,
      plan: replaceNode(plan, { ...node, via: there.station.id }),
    };
  }
  const station: Station = {
    id: freeId(stationIds(plan), 'gateway'),
    name: 'Gateway',
    kind: 'gateway',
    floor: node.floor,
    x: node.x + 2,
    y: node.y,
    heightMetres: 2,
    channel: 1,
    powerDbm: 17,
    antenna: means.stationAntenna,
    cableDb: 0,
    aimDegrees: 0,
  };
  const margin = planLink(building, plan, parts, node, station).marginDb;
  return {
    kind: 'gateway set',
    title: `A gateway set beside ${node.node}`,
    detail: `own access point and a metered cellular link: ${signed(margin - before)} dB. Traffic and cost shows its megabytes`,
    marginBeforeDb: before,
    marginAfterDb: margin,
    price: means.gatewayPrice,
    enough: margin >= TARGET_DB,
    plan: replaceNode({ ...plan, stations: [...plan.stations, station] }, { ...node, via: station.id }),
  };
}

/** Another channel, where a second station disturbs this link more than the link bears. It changes no level. */
function channel(plan: SitePlan, building: Building, parts: RadioParts, node: PlacedNode, now: PlanLink): Remedy | null {
  const disturbing = strongestInterferer(building, plan, parts, node, now);
  if (!disturbing || disturbing.belowDb > 20) return null;
  const apart = (candidate: number): number => {
    const changed = { ...plan, stations: plan.stations.map((one) => (one.id === now.station.id ? { ...one, channel: candidate } : one)) };
    return strongestInterferer(building, changed, parts, node, { ...now, station: { ...now.station, channel: candidate } })?.belowDb ?? 99;
  };
  // 1, 6 and 11 do not overlap: common practice.
  const [best] = [1, 6, 11].map((candidate) => ({ candidate, below: apart(candidate) })).sort((a, b) => b.below - a.below);
  if (!best || best.below <= disturbing.belowDb + 3) return null;
  return {
    kind: 'channel',
    title: `${now.station.name} on channel ${best.candidate}`,
    detail: `${disturbing.station.name} is only ${figure(disturbing.belowDb)} dB below it on channel ${disturbing.station.channel}; then ${best.below >= 99 ? 'nothing overlaps' : `${figure(best.below)} dB`}. No level changes`,
    marginBeforeDb: now.marginDb,
    marginAfterDb: now.marginDb,
    price: 0,
    enough: now.marginDb >= TARGET_DB,
    plan: { ...plan, stations: plan.stations.map((one) => (one.id === now.station.id ? { ...one, channel: best.candidate } : one)) },
  };
}
