import { emptyPlan } from '@dewpost/core/site-plan';
import { PlanView } from './plan-view';
import { withFloor, withoutFloor } from './plan-floors';

const EMPTY_PLAN = emptyPlan();
const SIZE = { width: 400, height: 200 };

describe('which part of a floor is seen', () => {
  const open = (): PlanView => new PlanView(() => ({ plan: EMPTY_PLAN, floor: 'ground' }), 2.5, SIZE);
  it('is fitted once the sheet tells its size, and then left to the hand', () => {
    const view = open();
    view.resize(SIZE);
    const fitted = view.view();
    view.pan([40, 0]);
    const moved = view.view();
    expect(moved.left).toBeCloseTo(fitted.left - 40 / fitted.scale, 9);
    view.resize({ width: 800, height: 400 });
    expect(view.view()).toEqual(moved);
    view.fit();
    expect(view.view().scale).toBeCloseTo(2 * fitted.scale, 9);
  });
  it('keeps the spot under the pointer where it is, nearer or further', () => {
    const view = open();
    view.resize(SIZE);
    const under = (): [number, number] => [view.view().left + 100 / view.view().scale, view.view().top + 50 / view.view().scale];
    const before = under();
    for (const factor of [1.4, 0.3, 5]) view.zoom({ factor, at: [100, 50] });
    expect(under()[0]).toBeCloseTo(before[0], 9);
    expect(under()[1]).toBeCloseTo(before[1], 9);
  });
  it('goes neither so near nor so far that nothing is to be seen', () => {
    const view = open();
    for (let i = 0; i < 50; i++) view.zoomBy(3);
    expect(view.view().scale).toBe(400);
    for (let i = 0; i < 50; i++) view.zoomBy(0.2);
    expect(view.view().scale).toBe(0.5);
  });
  it('stays as it is while there is no plan', () => {
    const view = new PlanView(() => null, 2.5, SIZE);
    const before = view.view();
    view.fit();
    expect(view.view()).toBe(before);
  });
});

describe('floors', () => {
  const ground = EMPTY_PLAN.floors[0]!;
  it('are added three metres above the highest, empty or as a copy, under an id that is free', () => {
    const first = withFloor(EMPTY_PLAN, ground, false);
    expect(first.plan.floors.map(({ id, elevationMetres }) => [id, elevationMetres])).toEqual([
      ['ground', 0],
      [first.id, 3],
    ]);
    const second = withFloor({ ...first.plan, floors: [ground, { ...ground, id: 'floor-3' }] }, ground, true);
    expect(second.id).not.toBe('floor-3');
    expect(new Set(second.plan.floors.map(({ id }) => id)).size).toBe(3);
    // The plan that it was made from stays as it was.
    expect(EMPTY_PLAN.floors).toHaveLength(1);
  });
  it('go with what stands on them, and nothing else does', () => {
    const two = withFloor(EMPTY_PLAN, ground, false);
    const station = { id: 's', floor: two.id } as (typeof EMPTY_PLAN.stations)[number];
    const below = { id: 'b', floor: 'ground' } as (typeof EMPTY_PLAN.stations)[number];
    const left = withoutFloor({ ...two.plan, stations: [station, below] }, two.id);
    expect([left.floors.map(({ id }) => id), left.stations.map(({ id }) => id)]).toEqual([['ground'], ['b']]);
  });
});
