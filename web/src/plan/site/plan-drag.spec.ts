import { emptyPlan, type Floor, type SitePlan, type Spot } from '@dewpost/core/site-plan';
import { dragged, gripOf, onGrid, type Grip, type Press } from './plan-drag';
import type { Held } from './plan-desk';

const ground = emptyPlan().floors[0]!;
const floor: Floor = {
  ...ground,
  walls: [
    { id: 'wall-1', material: 'brick', from: [0, 0], to: [6, 0], thicknessMillimetres: 150 },
    { id: 'wall-2', material: 'brick', from: [0, 4], to: [6, 4], thicknessMillimetres: 150 },
  ],
  rooms: [
    {
      id: 'room-1',
      name: 'Cellar',
      outline: [
        [0, 0],
        [6, 0],
        [6, 4],
      ],
    },
  ],
  zones: [{ id: 'zone-1', node: 'fern-soil', name: 'Bed', x: 1, y: 1, widthMetres: 2, depthMetres: 1 }],
};
const node = {
  ...{ node: 'fern-soil', floor: floor.id, x: 1.1, y: 2, heightMetres: 1, antenna: 'antenna-board', cableDb: 0, via: null },
};
const PLAN: SitePlan = { ...emptyPlan(), floors: [floor, { ...ground, id: 'loft', name: 'Loft' }], nodes: [node] };
const press = (spot: Spot, change: Partial<Press> = {}): Press => ({ spot, on: null, reach: 0.3, free: false, ...change });
const wall: Held = { kind: 'wall', id: 'wall-1', floor: floor.id };
const room: Held = { kind: 'room', id: 'room-1', floor: floor.id };
const zone: Held = { kind: 'zone', id: 'zone-1', floor: floor.id };

describe('where something is taken hold of', () => {
  it.each<[Held, Spot, Grip]>([
    [wall, [0.1, 0.1], 'from'],
    [wall, [5.9, 0], 'to'],
    [wall, [3, 0], null],
    [room, [6.1, 4], 2],
    [room, [3, 2], null],
    [zone, [3.1, 2.1], 'corner'],
    [zone, [1, 1], null],
    [{ kind: 'node', id: 'fern-soil' }, [1.1, 2], null],
    [{ kind: 'wall', id: 'gone', floor: floor.id }, [0, 0], null],
  ])('%j at %j: %j', (held, spot, grip) => expect(gripOf(held, spot, 0.3, floor)).toBe(grip));
});

describe('what is dragged', () => {
  const at = (held: Held, end: Grip, from: Spot, to: Press) => dragged({ held, from, plan: PLAN, end }, to, floor);
  it('an end of a wall snaps to another wall, the other end stays; free it goes where the pointer is', () => {
    expect(at(wall, 'to', [6, 0], press([6.1, 3.9])).floors[0]!.walls[0]).toMatchObject({ from: [0, 0], to: [6, 4] });
    expect(at(wall, 'to', [6, 0], press([6.13, 3.91], { free: true })).floors[0]!.walls[0]!.to).toEqual([6.13, 3.91]);
    // Never to itself: it would not move at all.
    expect(at(wall, 'from', [0, 0], press([2.1, 1.9])).floors[0]!.walls[0]!.from).toEqual([2, 2]);
  });
  it('a corner of a room, and no other; the far corner of a zone, and never to nothing', () => {
    expect(at(room, 2, [6, 4], press([5.2, 2.6])).floors[0]!.rooms[0]!.outline).toEqual([
      [0, 0],
      [6, 0],
      [5.25, 2.5],
    ]);
    expect(at(zone, 'corner', [3, 2], press([4.4, 1.6])).floors[0]!.zones[0]).toMatchObject({ x: 1, widthMetres: 3.5, depthMetres: 0.5 });
    expect(at(zone, 'corner', [3, 2], press([-5, -5])).floors[0]!.zones[0]).toMatchObject({ widthMetres: 0.25, depthMetres: 0.25 });
  });
  it('a whole thing comes onto the grid by its own place, a wall by its step; other floors are as they were', () => {
    const moved = at({ kind: 'node', id: 'fern-soil' }, null, [1.1, 2], press([2.3, 2.2]));
    expect([moved.nodes[0]!.x, moved.nodes[0]!.y]).toEqual([2.25, 2.25]);
    const pushed = at(wall, null, [3, 0], press([3, 1.1]));
    expect(pushed.floors[0]!.walls[0]).toMatchObject({ from: [0, 1], to: [6, 1] });
    expect(pushed.floors[1]).toBe(PLAN.floors[1]);
    expect(PLAN.floors[0]!.walls[0]!.from).toEqual([0, 0]);
  });
  it('the grid has steps of a quarter of a metre, unless somebody is free of it', () => {
    expect(onGrid(press([1.13, 2.12]))).toEqual([1.25, 2]);
    expect(onGrid(press([1.13, 2.12], { free: true }))).toEqual([1.13, 2.12]);
  });
});
