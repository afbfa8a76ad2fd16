import { emptyPlan, sitePlanSchema, toGeoJson, type SitePlan, type Spot } from '@dewpost/core/site-plan';
import { countDrafts } from '../../parts/drafts';
import { isClear, placeLabels } from './labels';
import { moved, PlanDesk } from './plan-desk';
import { planOfText } from './plan-files';
import { marginLines, runPlanJob } from './plan-jobs';
import { PlanTools, type Tool } from './plan-tools';

const memory = (): Storage => {
  const kept = new Map<string, string>();
  return {
    getItem: (key: string) => kept.get(key) ?? null,
    setItem: (key: string, value: string) => kept.set(key, value),
    removeItem: (key: string) => kept.delete(key),
  } as unknown as Storage;
};
const begin = (
  storage = memory(),
): {
  desk: PlanDesk;
  tools: PlanTools;
  at: (x: number, y: number) => void;
  go: (tool: Tool) => void;
  drag: (from: Spot, to: Spot) => void;
  plan: () => SitePlan;
} => {
  const desk = new PlanDesk(storage);
  desk.load(0, emptyPlan());
  const tools = new PlanTools(desk);
  const press = (x: number, y: number) => ({ spot: [x, y] as Spot, on: desk.held(), reach: 0.4, free: false });
  return {
    desk,
    tools,
    at: (x, y) => {
      tools.press({ ...press(x, y), on: null });
      tools.release();
    },
    go: (tool) => tools.take(tool),
    drag: (from, to) => {
      tools.press(press(...from));
      tools.move(press(...to));
      tools.release();
    },
    plan: () => desk.plan()!,
  };
};

describe('drawing', () => {
  it('walls from corner to corner, closed where they began, on the grid and straightened', () => {
    const { go, at, plan } = begin();
    go('wall');
    for (const [x, y] of [
      [0.1, 0.1],
      [4.05, 0.2],
      [4.1, 3.02],
      [0.05, 3.1],
      [0.1, 0.2],
    ] as const)
      at(x, y);
    expect(plan().floors[0]!.walls.map(({ from, to }) => [from, to])).toEqual([
      [
        [0, 0],
        [4, 0],
      ],
      [
        [4, 0],
        [4, 3],
      ],
      [
        [4, 3],
        [0, 3],
      ],
      [
        [0, 3],
        [0, 0],
      ],
    ]);
    expect(sitePlanSchema.safeParse(plan()).success).toBe(true);
  });
  it('a room over them takes hold of their corners, an opening stands on the nearest wall', () => {
    const { desk, go, at, plan } = begin();
    go('wall');
    for (const [x, y] of [
      [0, 0],
      [4, 0],
      [4, 3],
      [0, 3],
      [0, 0],
    ] as const)
      at(x, y);
    go('room');
    for (const [x, y] of [
      [0.2, 0.1],
      [3.9, 0.2],
      [4.2, 2.9],
      [0.1, 3.2],
      [0.1, 0.1],
    ] as const)
      at(x, y);
    expect(plan().floors[0]!.rooms[0]).toMatchObject({
      name: 'Room 1',
      outline: [
        [0, 0],
        [4, 0],
        [4, 3],
        [0, 3],
      ],
    });
    expect(desk.held()).toMatchObject({ kind: 'room' });
    go('opening');
    at(2, 0.1);
    expect(plan().floors[0]!.openings[0]).toMatchObject({ wall: 'wall-1', atMetres: 1.55, widthMetres: 0.9 });
    desk.held.set({ kind: 'wall', id: 'wall-1', floor: 'ground' });
    desk.remove();
    expect([plan().floors[0]!.walls.length, plan().floors[0]!.openings.length]).toEqual([3, 0]);
  });
  it('a drag is one step back, however far it went; redo does it again', () => {
    const { desk, tools, go, at, drag, plan } = begin();
    go('access point');
    at(2, 2);
    tools.nodeToPlace.set('store-1');
    go('node');
    tools.nodeToPlace.set('store-1');
    at(1, 1);
    go('select');
    desk.held.set({ kind: 'node', id: 'store-1' });
    drag([1, 1], [3.1, 1.6]);
    expect(plan().nodes[0]).toMatchObject({ x: 3, y: 1.5 });
    desk.undo();
    expect(plan().nodes[0]).toMatchObject({ x: 1, y: 1 });
    desk.redo();
    expect(plan().nodes[0]).toMatchObject({ x: 3, y: 1.5 });
    for (let i = 0; i < 5; i++) desk.undo();
    expect([plan().nodes.length, plan().stations.length, desk.canUndo()]).toEqual([0, 0, false]);
  });
  it('measures, and knows the two points of a scale', () => {
    const { tools, go, at } = begin();
    go('measure');
    at(0, 0);
    at(3, 4);
    expect(tools.measured()).toBe(5);
    go('scale');
    at(0, 0);
    at(0, 2);
    expect(tools.scaleSpots()).toEqual([
      [0, 0],
      [0, 2],
    ]);
  });
  it('keeps what is not saved through a reload, and lets go of what was drawn on an older version', () => {
    const storage = memory();
    const { go, at, desk } = begin(storage);
    go('access point');
    at(2, 2);
    const again = new PlanDesk(storage);
    expect([again.load(0, emptyPlan()), again.plan()!.stations.length, again.changed()]).toEqual([true, 1, true]);
    expect(new PlanDesk(storage).load(3, emptyPlan())).toBe(false);
    desk.wasSaved(1, desk.plan()!);
    expect([desk.changed(), new PlanDesk(storage).load(1, emptyPlan())]).toEqual([false, false]);
    storage.setItem('dewpost.site-plan', '{"base":1,"plan":{"format":0}}');
    expect(new PlanDesk(storage).load(1, emptyPlan())).toBe(false);
  });
  it('counts as a draft on the stage line while it is not saved, and sheets do too', () => {
    localStorage.clear();
    const desk = new PlanDesk(localStorage);
    desk.load(0, emptyPlan());
    expect(countDrafts()).toBe(0);
    desk.changeFloor((floor) => ({ ...floor, name: 'Mill floor' }));
    localStorage.setItem('dewpost.sheet-draft.new', '{}');
    localStorage.setItem('dewpost.theme', 'dark');
    expect(countDrafts()).toBe(2);
    desk.undo();
    expect(countDrafts()).toBe(1);
    localStorage.clear();
  });
  it('an opening moves along its wall and stays on it', () => {
    const plan = emptyPlan();
    plan.floors[0]!.walls = [{ id: 'w', material: 'brick', from: [0, 0], to: [4, 0], thicknessMillimetres: 100 }];
    plan.floors[0]!.openings = [{ id: 'o', wall: 'w', atMetres: 1, widthMetres: 1, material: null }];
    const at = (by: Spot): number => moved(plan, { kind: 'opening', id: 'o', floor: 'ground' }, by).floors[0]!.openings[0]!.atMetres;
    expect([at([1, 5]), at([9, 0]), at([-9, 0])]).toEqual([2, 3, 0]);
  });
});

describe('files', () => {
  it('that cannot be used say why, where, and that nothing was changed', () => {
    const read = (text: string) => () => planOfText('mill.json', text, emptyPlan(), 'brick');
    expect(read('{"format":1,')).toThrow(/mill\.json is not JSON/);
    expect(read('{"format":2,"kind":"site plan"}')).toThrow(/format: this file is of another version.*Nothing on your plan was changed/);
    expect(read('{"type":"FeatureCollection","features":[{"type":"Feature"}]}')).toThrow(/features\.0/);
    expect(read(JSON.stringify({ ...emptyPlan(), floors: [] }))).toThrow(/floors: a plan has one floor at least/);
  });
  it('of the project’s own and GeoJSON are told apart', () => {
    const plan = emptyPlan();
    plan.floors[0]!.walls = [{ id: 'w', material: 'brick', from: [0, 0], to: [4, 0], thicknessMillimetres: 100 }];
    expect(planOfText('a.json', JSON.stringify(plan), emptyPlan(), 'brick').plan.floors[0]!.walls).toHaveLength(1);
    expect(planOfText('a.geojson', JSON.stringify(toGeoJson(plan)), emptyPlan(), 'stone').plan.floors[0]!.walls[0]).toMatchObject({
      material: 'brick',
      to: [4, 0],
    });
  });
});

describe('what the worker does', () => {
  const plan = emptyPlan();
  plan.stations = [
    {
      id: 'ap',
      name: 'AP',
      kind: 'access point',
      floor: 'ground',
      x: 10,
      y: 10,
      heightMetres: 2,
      channel: 6,
      powerDbm: 17,
      antenna: 'whip',
      cableDb: 0,
      aimDegrees: 0,
    },
  ];
  const facts = { antennas: { whip: { gainDbi: 3, beamDegrees: 360 } }, powers: {}, usualPowerDbm: 17 };
  it('coverage comes with its lines: round about a station in the open, the better the nearer', () => {
    const told: number[] = [];
    const answer = runPlanJob(
      {
        kind: 'coverage',
        plan,
        facts,
        floor: 'ground',
        area: { left: -390, top: -390, right: 410, bottom: 410 },
        cellMetres: 4,
        usual: { powerDbm: 17, gainDbi: 0, heightMetres: 1.5 },
        station: null,
      },
      (done) => told.push(done),
    );
    if (answer.kind !== 'coverage') throw new Error('coverage was asked for');
    const radius = (path: string): number =>
      Math.max(...[...path.matchAll(/(-?[\d.]+) (-?[\d.]+)/g)].map(([, x, y]) => Math.hypot(Number(x) - 10, Number(y) - 10)));
    const [short, thin, sound] = answer.lines.map((line) => radius(line.path));
    // 10 dB at an exponent of 2.2 is a factor of 10^(1/2.2) in distance.
    expect(short! / thin!).toBeCloseTo(10 ** (1 / 2.2), 1);
    expect(thin! / sound!).toBeCloseTo(10 ** (1 / 2.2), 1);
    expect([...told].sort((a, b) => a - b)).toEqual(told);
    expect(told.length).toBeGreaterThan(5);
  });
  it('has no lines where nothing is served', () => {
    const grid = { floor: 'ground', left: 0, top: 0, columns: 4, rows: 4, cellMetres: 1 };
    expect(marginLines(grid, new Float32Array(16).fill(-200)).every((line) => line.path === '')).toBe(true);
  });
});

describe('labels', () => {
  it('stand beside their marks and not on each other', () => {
    const boxes = placeLabels(
      [
        { x: 100, y: 100, width: 60 },
        { x: 120, y: 100, width: 60 },
        { x: 100, y: 112, width: 60 },
      ],
      [],
    );
    for (const [i, a] of boxes.entries())
      for (const b of boxes.slice(i + 1)) {
        const apart = a.x + a.width <= b.x || b.x + b.width <= a.x || a.y + a.height <= b.y || b.y + b.height <= a.y;
        expect(apart).toBe(true);
      }
    expect(isClear(boxes[0]!.x + 2, boxes[0]!.y + 2, boxes)).toBe(false);
  });
});
