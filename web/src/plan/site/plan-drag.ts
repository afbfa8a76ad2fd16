import { metresBetween, snap, type Floor, type SitePlan, type Spot } from '@dewpost/core/site-plan';
import { moved, tidy, type Held } from './plan-desk';

/** Step of the drawing, m. */
export const GRID = 0.25;

export interface Press {
  readonly spot: Spot;
  /** What lies under the pointer. */
  readonly on: Held | null;
  /** Metres that ten points on the screen are. */
  readonly reach: number;
  /** Without snapping. */
  readonly free: boolean;
}

/** Where something is taken hold of: an end of a wall, a corner of a room by its place, the far corner of a zone; `null`: all of it. */
export type Grip = 'from' | 'to' | number | 'corner' | null;

/** Something on its way from one spot to another, in the plan as it was before. */
export interface Drag {
  readonly held: Held;
  readonly from: Spot;
  readonly plan: SitePlan;
  readonly end: Grip;
}

/** A spot of the pointer on the grid, m. */
export const onGrid = ({ spot, free }: Press): Spot =>
  free ? spot : [Math.round(spot[0] / GRID) * GRID, Math.round(spot[1] / GRID) * GRID];

/** What of a thing lies within `reach` (m) of a spot. */
export function gripOf(on: Held, spot: Spot, reach: number, floor: Floor): Grip {
  const near = (place: Spot): boolean => metresBetween(place, spot) < reach;
  if (on.kind === 'wall') {
    const wall = floor.walls.find((one) => one.id === on.id);
    if (wall && near(wall.from)) return 'from';
    return wall && near(wall.to) ? 'to' : null;
  }
  if (on.kind === 'room') {
    const corner = floor.rooms.find((one) => one.id === on.id)?.outline.findIndex(near) ?? -1;
    return corner === -1 ? null : corner;
  }
  if (on.kind !== 'zone') return null;
  const zone = floor.zones.find((one) => one.id === on.id);
  return zone && near([zone.x + zone.widthMetres, zone.y + zone.depthMetres]) ? 'corner' : null;
}

/** The plan with what is dragged where the pointer is now: at walls and on the grid, unless it is free of both. */
export function dragged({ held, from, plan, end }: Drag, press: Press, floor: Floor): SitePlan {
  const change = (edit: (floor: Floor) => Floor): SitePlan => ({
    ...plan,
    floors: plan.floors.map((one) => (one.id === floor.id ? edit(one) : one)),
  });
  const before = plan.floors.find((one) => one.id === floor.id) ?? floor;
  const snapped = (walls: Floor['walls']): [number, number] => {
    const [x, y] = press.free ? press.spot : snap(press.spot, walls, press.reach, GRID);
    return [tidy(x), tidy(y)];
  };
  if (end === 'from' || end === 'to') {
    const spot = snapped(before.walls.filter((wall) => wall.id !== held.id));
    return change((one) => ({ ...one, walls: one.walls.map((wall) => (wall.id === held.id ? { ...wall, [end]: spot } : wall)) }));
  }
  if (typeof end === 'number') {
    const spot = snapped(before.walls);
    return change((one) => ({
      ...one,
      rooms: one.rooms.map((room) =>
        room.id === held.id ? { ...room, outline: room.outline.map((corner, i) => (i === end ? spot : corner)) } : room,
      ),
    }));
  }
  if (end === 'corner') {
    const [x, y] = onGrid(press);
    return change((one) => ({
      ...one,
      zones: one.zones.map((zone) =>
        zone.id === held.id
          ? { ...zone, widthMetres: Math.max(GRID, tidy(x - zone.x)), depthMetres: Math.max(GRID, tidy(y - zone.y)) }
          : zone,
      ),
    }));
  }
  // A whole thing keeps to the grid by its own place, a wall by its step.
  const step: Spot = [press.spot[0] - from[0], press.spot[1] - from[1]];
  const all = held.kind === 'node' ? plan.nodes.map((one) => ({ ...one, id: one.node })) : held.kind === 'station' ? plan.stations : [];
  const own = all.find((one) => one.id === held.id);
  const round = (value: number, base: number): number => (press.free ? value : Math.round((base + value) / GRID) * GRID - base);
  return moved(plan, held, [round(step[0], own?.x ?? 0), round(step[1], own?.y ?? 0)]);
}
