import type { PlacedNode, SitePlan } from '../site-plan';
import { Building } from './multi-wall';
import { bestLink, strongestInterferer, type PlanLink, type RadioParts } from './plan-link';
import { antenna, gatewaySet, repeater } from './remedies-added';
import { moveNode, moveStation } from './remedies-moved';
import { figure, TARGET_DB, type Remedy, type RemedyMeans } from './remedy';

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
