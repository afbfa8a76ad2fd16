import fc from 'fast-check';
import {
  areaSquareMetres,
  copyFloor,
  crossesItself,
  emptyPlan,
  extentOf,
  fromDegrees,
  fromGeoJson,
  isInside,
  middleOf,
  sitePlanSchema,
  snap,
  toDegrees,
  toGeoJson,
  WALLS_MOST,
  type SitePlan,
  type Spot,
} from '.';

const square: [number, number][] = [
  [0, 0],
  [4, 0],
  [4, 3],
  [0, 3],
];
const bow: [number, number][] = [
  [0, 0],
  [4, 3],
  [4, 0],
  [0, 3],
];
const wall = (id: string, from: [number, number], to: [number, number]) => ({ id, material: 'brick', from, to, thicknessMillimetres: 120 });
const withFloor = (change: Partial<SitePlan['floors'][number]>): SitePlan => {
  const plan = emptyPlan();
  return { ...plan, floors: plan.floors.map((floor) => ({ ...floor, ...change })) };
};
const problemOf = (value: unknown): string => {
  const parsed = sitePlanSchema.safeParse(value);
  return parsed.success ? '' : parsed.error.issues.map((issue) => `${issue.path.join('.')}: ${issue.message}`).join('; ');
};

describe('outlines', () => {
  it('know their area, their inside and whether they cross themselves', () => {
    expect(areaSquareMetres(square)).toBe(12);
    expect([isInside(square, [1, 1]), isInside(square, [5, 1])]).toEqual([true, false]);
    expect([
      crossesItself(square),
      crossesItself(bow),
      crossesItself([
        [0, 0],
        [2, 0],
        [1, 0],
        [1, 2],
      ]),
    ]).toEqual([false, true, true]);
  });
  it('a name stands inside, even of an L', () => {
    const shapes: Spot[][] = [
      square,
      [
        [0, 0],
        [10, 0],
        [10, 1],
        [1, 1],
        [1, 10],
        [0, 10],
      ],
    ];
    for (const shape of shapes) expect(isInside(shape, middleOf(shape))).toBe(true);
  });
  it('a star-shaped room never crosses itself; a round one does when two of its corners change places', () => {
    const around = (radii: readonly number[]): Spot[] =>
      radii.map((r, i): Spot => [r * Math.cos((i / radii.length) * 2 * Math.PI), r * Math.sin((i / radii.length) * 2 * Math.PI)]);
    const radii = (least: number) => fc.array(fc.double({ min: least, max: 5, noNaN: true }), { minLength: 5, maxLength: 10 });
    fc.assert(fc.property(radii(1), (star) => expect(crossesItself(around(star))).toBe(false)));
    fc.assert(
      fc.property(radii(4.8), (round) => {
        const swapped = around(round);
        [swapped[0], swapped[2]] = [swapped[2]!, swapped[0]!];
        expect(crossesItself(swapped)).toBe(true);
      }),
    );
  });
});

describe('snapping', () => {
  const lines = [{ from: [0, 0] as Spot, to: [10, 0] as Spot }];
  it('takes ends before lines, lines before the grid, and straightens a line being drawn', () => {
    expect(snap([0.2, 0.2], lines, 0.5, 0.25)).toEqual([0, 0]);
    expect(snap([5.1, 0.2], lines, 0.5, 0.25)).toEqual([5.1, 0]);
    expect(snap([5.1, 3.2], lines, 0.5, 0.25)).toEqual([5, 3.25]);
    expect(snap([5.1, 3.2], lines, 0.5, null)).toEqual([5.1, 3.2]);
    expect(snap([7.3, 4.1], [], 0.5, null, [7, 9])).toEqual([7, 4.1]);
  });
});

describe('a plan', () => {
  it('that is empty is one, and its sheet has a size', () => {
    expect(problemOf(emptyPlan())).toBe('');
    expect(extentOf(emptyPlan(), 'ground')).toEqual({ left: 0, top: 0, right: 20, bottom: 15 });
  });
  it.each([
    ['another version', { ...emptyPlan(), format: 2 }, /format: this file is of another version/],
    ['no plan', { hello: 1 }, /kind: this is no site plan/],
    [
      'a room that crosses itself',
      withFloor({ rooms: [{ id: 'r', name: 'Bow', outline: bow }] }),
      /floors\.0\.rooms\.0\.outline: the outline crosses itself/,
    ],
    [
      '10 000 walls',
      withFloor({ walls: Array.from({ length: 10_000 }, (_, i) => wall(`w${i}`, [i, 0], [i, 1])) }),
      new RegExp(`at most ${WALLS_MOST} walls`),
    ],
    [
      'an absurd scale',
      withFloor({ picture: { id: 'a'.repeat(64), widthPixels: 100, heightPixels: 100, metresPerPixel: 40, x: 0, y: 0 } }),
      /metresPerPixel: the scale is absurd/,
    ],
    ['a wall of nothing', withFloor({ walls: [{ ...wall('w', [0, 0], [1, 0]), material: 'jelly' }] }), /no material jelly/],
    [
      'an opening in no wall',
      withFloor({ openings: [{ id: 'o', wall: 'gone', atMetres: 1, widthMetres: 1, material: null }] }),
      /no wall gone/,
    ],
    ['a wall twice', withFloor({ walls: [wall('w', [0, 0], [1, 0]), wall('w', [0, 1], [1, 1])] }), /wall w stands here twice/],
  ])('with %s says so and where', (_what, value, says) => {
    expect(problemOf(value)).toMatch(says);
  });
  it('a copied floor has the walls and rooms, and rooms of their own names', () => {
    const floor = withFloor({ walls: [wall('w', [0, 0], [1, 0])], rooms: [{ id: 'r', name: 'Store', outline: square }] }).floors[0]!;
    const copy = copyFloor(floor, { id: 'loft', name: 'Loft', elevationMetres: 3 });
    expect(copy.walls).toEqual(floor.walls);
    expect(copy.rooms[0]?.name).toBe('Store, Loft');
  });
});

describe('GeoJSON', () => {
  const plan: SitePlan = sitePlanSchema.parse({
    ...withFloor({
      walls: [wall('w1', [0, 0], [4, 0]), wall('w2', [4, 0], [4, 3])],
      openings: [{ id: 'door', wall: 'w1', atMetres: 1, widthMetres: 0.9, material: 'timber' }],
      rooms: [{ id: 'store', name: 'Store', outline: square }],
      zones: [{ id: 'z', node: 'shop-presence', name: 'Bench', x: 1, y: 1, widthMetres: 2, depthMetres: 1 }],
    }),
    anchor: { latitude: 51.9, longitude: -2.2, bearingDegrees: 30 },
    stations: [
      {
        id: 'ap',
        name: 'AP',
        kind: 'access point',
        floor: 'ground',
        x: 1,
        y: 1,
        heightMetres: 2,
        channel: 6,
        powerDbm: 17,
        antenna: 'whip',
        cableDb: 0,
      },
    ],
    nodes: [{ node: 'store-1', floor: 'ground', x: 2.5, y: 1.5, heightMetres: 1, antenna: 'board', cableDb: 0 }],
  });
  it('goes out and comes back the same to a millimetre', () => {
    const back = fromGeoJson(JSON.parse(JSON.stringify(toGeoJson(plan))), plan, 'brick').plan;
    expect(back.floors[0]?.openings).toEqual(plan.floors[0]?.openings);
    expect(back.floors[0]?.zones).toEqual(plan.floors[0]?.zones);
    expect(back.floors[0]?.walls).toEqual(plan.floors[0]?.walls);
    expect(back.stations).toEqual(plan.stations);
    expect(back.nodes).toEqual(plan.nodes);
    const corners = (of: SitePlan): string[] =>
      (of.floors[0]?.rooms[0]?.outline ?? []).map((corner) => corner.map((n) => n.toFixed(3)).join()).sort();
    expect(corners(back)).toEqual(corners(plan));
  });
  it('has closed, anticlockwise outer rings (RFC 7946 §3.1.6)', () => {
    const { features } = toGeoJson(plan) as { features: { geometry: { type: string; coordinates: [number, number][][] } }[] };
    for (const { geometry } of features.filter((one) => one.geometry.type === 'Polygon')) {
      const ring = geometry.coordinates[0]!;
      expect(ring[0]).toEqual(ring.at(-1));
      const area = ring.slice(1).reduce((sum, [x, y], i) => sum + ring[i]![0] * y - x * ring[i]![1], 0);
      expect(area).toBeGreaterThan(0);
    }
  });
  it('a degree of latitude is 111.2 km on the mean sphere, and spots come back', () => {
    expect(fromDegrees({ latitude: 0, longitude: 0, bearingDegrees: 0 }, [0, 1])[1]).toBeCloseTo(-111_195, 0);
    fc.assert(
      fc.property(fc.double({ min: -900, max: 900, noNaN: true }), fc.double({ min: -900, max: 900, noNaN: true }), (x, y) => {
        const [backX, backY] = fromDegrees(plan.anchor, toDegrees(plan.anchor, [x, y]));
        expect(Math.hypot(backX - x, backY - y)).toBeLessThan(0.001);
      }),
    );
  });
  it('takes lines and polygons of other files as walls and rooms, and says what it left out', () => {
    const foreign = {
      type: 'FeatureCollection',
      features: [
        {
          type: 'Feature',
          properties: { name: 'Barn' },
          geometry: {
            type: 'Polygon',
            coordinates: [
              [
                [8, 50],
                [8.0003, 50],
                [8.0003, 50.0002],
                [8, 50.0002],
                [8, 50],
              ],
            ],
          },
        },
        {
          type: 'Feature',
          properties: null,
          geometry: {
            type: 'LineString',
            coordinates: [
              [8, 50],
              [8.0001, 50],
              [8.0001, 50.0001],
            ],
          },
        },
        { type: 'Feature', properties: {}, geometry: { type: 'Point', coordinates: [8, 50] } },
        { type: 'Feature', properties: {}, geometry: { type: 'MultiPoint', coordinates: [] } },
      ],
    };
    const { plan: read, notes } = fromGeoJson(foreign, emptyPlan(), 'stone');
    expect(read.floors[0]?.rooms.map((room) => room.name)).toEqual(['Barn']);
    expect(read.floors[0]?.walls.map((one) => one.material)).toEqual(['stone', 'stone']);
    expect(areaSquareMetres(read.floors[0]!.rooms[0]!.outline)).toBeCloseTo(21.44 * 22.24, -1);
    expect(notes.join()).toMatch(/2 features were left out/);
    expect(() => fromGeoJson({ type: 'Feature' }, emptyPlan(), 'stone')).toThrow(/no GeoJSON feature collection/);
    expect(() => fromGeoJson({ type: 'FeatureCollection', features: [] }, emptyPlan(), 'stone')).toThrow(/no wall and no room/);
  });
});
