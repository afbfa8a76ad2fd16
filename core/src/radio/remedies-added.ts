import { freeId, type PlacedNode, type SitePlan, type Station } from '../site-plan';
import { Building } from './multi-wall';
import { bestLink, planLink, type RadioParts } from './plan-link';
import { figure, replaceNode, signed, stationIds, TARGET_DB, type Remedy, type RemedyMeans } from './remedy';

/** No antenna of a house has more, dBi. */
const MOST_DBI = 24;
const TRIED = 'antenna that is tried';

/** The cheapest antenna at the node that is enough, or the one that helps most; the limit on radiated power counts. */
export function antenna(
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
export function repeater(
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
export function gatewaySet(plan: SitePlan, parts: RadioParts, node: PlacedNode, before: number, means: RemedyMeans): Remedy | null {
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
