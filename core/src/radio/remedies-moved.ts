import { isInside, type PlacedNode, type SitePlan, type Station } from '../site-plan';
import type { Building } from './multi-wall';
import { bestLink, planLink, type PlanLink, type RadioParts } from './plan-link';
import { figure, replaceNode, signed, TARGET_DB, type Remedy, type RemedyMeans } from './remedy';

const FARTHEST_METRES = 6;
const STEP_METRES = 0.5;

/** The nearest place that its cable reaches, in its own room and on this side of every wall, where the link is sound; else the best of them. */
export function moveNode(
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
export function moveStation(plan: SitePlan, building: Building, parts: RadioParts, node: PlacedNode, now: PlanLink): Remedy | null {
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
