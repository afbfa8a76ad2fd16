import { slug } from '@dewpost/core/naming';
import { copyFloor, type Floor, type SitePlan } from '@dewpost/core/site-plan';

function freeFloorId(plan: SitePlan, wanted: string): string {
  const id = slug(wanted);
  return plan.floors.some((floor) => floor.id === id) ? freeFloorId(plan, `${wanted}-b`) : id;
}

/** The plan with one more floor, 3 m above the highest: a copy of this one, or an empty one; and that floor's id. */
export function withFloor(plan: SitePlan, floor: Floor, copy: boolean): { plan: SitePlan; id: string } {
  const highest = Math.max(...plan.floors.map(({ elevationMetres }) => elevationMetres));
  const id = freeFloorId(plan, `floor-${plan.floors.length + 1}`);
  const about = { id, name: `Floor ${plan.floors.length + 1}`, elevationMetres: highest + 3 };
  const added = copy ? copyFloor(floor, about) : { ...about, slabLossDb: 15, picture: null, walls: [], openings: [], rooms: [], zones: [] };
  return { plan: { ...plan, floors: [...plan.floors, added] }, id };
}

/** The plan without a floor and what stands on it. */
export const withoutFloor = (plan: SitePlan, id: string): SitePlan => ({
  ...plan,
  floors: plan.floors.filter((floor) => floor.id !== id),
  stations: plan.stations.filter(({ floor }) => floor !== id),
  nodes: plan.nodes.filter(({ floor }) => floor !== id),
  samples: plan.samples.filter(({ floor }) => floor !== id),
});
