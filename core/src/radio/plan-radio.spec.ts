import fc from 'fast-check';
import { emptyPlan, type Floor, type SitePlan } from '../site-plan';
import {
  bearingDegrees,
  bestLink,
  Building,
  coverage,
  coverageGrid,
  fitModel,
  floorLossDb,
  freeSpaceLossDb,
  gainTowards,
  marginClass,
  planLink,
  planLinks,
  ridge,
  wallLossDb,
  wallPieces,
} from '.';
import { station, node, wall, plan, ANTENNAS, parts } from './plan-radio.testing';

const coordinate = fc.integer({ min: -400, max: 400 }).map((n) => n / 20 + 0.013);

describe('the multi-wall model', () => {
  it('is free space where the exponent is 2 and nothing stands between (ITU-R P.525)', () => {
    const open = plan({});
    const building = new Building(open.materials, { exponent: 2, offsetDb: 0 }, open.floors);
    for (const metres of [1, 10, 100]) {
      const { lossDb } = building.path(station('a', 0, 0), node('n', metres, 0), 2437);
      expect(lossDb).toBeCloseTo(freeSpaceLossDb(2437, metres), 9);
    }
  });
  it('a wall met exactly where the line passes a slab counts once, whichever way it is walked', () => {
    const stone = [wall('w', 'stone', [5, -5], [5, 5])];
    const [ground] = emptyPlan().floors;
    // 3 m between the floors: at 1.5 m of height on both, the line is at the slab halfway, where the wall stands.
    const upper: Floor = { ...ground!, id: 'upper', name: 'Upper', elevationMetres: 3, walls: [] };
    const lossOf = (below: Floor['walls'], above: Floor['walls'], back = false): number => {
      const floors = [
        { ...ground!, elevationMetres: 0, walls: below },
        { ...upper, walls: above },
      ];
      const building = new Building(emptyPlan().materials, { exponent: 2, offsetDb: 0 }, floors);
      const [low, high] = [
        { floor: ground!.id, x: 0, y: 0, heightMetres: 1.5 },
        { floor: 'upper', x: 10, y: 0, heightMetres: 1.5 },
      ];
      return building.path(back ? high : low, back ? low : high, 2437).wallsDb;
    };
    const once = emptyPlan().materials.find((one) => one.id === 'stone')!.lossDb;
    for (const back of [false, true]) {
      expect([lossOf([], [], back), lossOf(stone, [], back), lossOf([], stone, back), lossOf(stone, stone, back)]).toEqual([
        0,
        once,
        once,
        once,
      ]);
    }
  });
  it('adds walls, doors and floors as they are crossed', () => {
    const floor: Partial<Floor> = {
      walls: [wall('w1', 'brick', [5, -5], [5, 5]), wall('w2', 'stone', [8, -5], [8, 5])],
      openings: [{ id: 'd', wall: 'w2', atMetres: 4, widthMetres: 2, material: 'timber' }],
    };
    const two = plan({}, floor);
    two.floors.push({
      id: 'loft',
      name: 'Loft',
      elevationMetres: 3,
      slabLossDb: 9,
      picture: null,
      walls: [wall('w1', 'metal', [6, -5], [6, 5])],
      openings: [],
      rooms: [],
      zones: [],
    });
    const building = Building.of(two);
    // Through the brick and the door.
    expect(building.path(station('a', 0, 0), node('n', 10, 0), 2437)).toMatchObject({ wallsDb: 7 + 3, slabs: 0, metres: 10 });
    // Past the door: through the stone.
    expect(building.path(station('a', 0, 3), node('n', 10, 3), 2437).wallsDb).toBe(7 + 12);
    // To the loft: brick and stone or door below, metal above, by where the line is at that height; one slab by COST 231.
    const up = building.path(station('a', 0, 0), node('n', 10, 0, { floor: 'loft' }), 2437);
    expect(up.slabsDb).toBeCloseTo(floorLossDb(1, 9), 9);
    // The brick wall stands just where the line passes the slab: it is met all the same.
    expect(up.wallsDb).toBe(33);
    expect(up.crossed[two.materials.findIndex((material) => material.id === 'brick')] ?? 0).toBe(1);
    expect(up.metres).toBeCloseTo(Math.hypot(10, 3), 9);
  });
  it('takes floors of one height as lying side by side: both their walls, no slab', () => {
    const yard = plan({}, { walls: [wall('w', 'brick', [5, -5], [5, 5])] });
    yard.floors.push({ ...yard.floors[0]!, id: 'hut', name: 'Hut', walls: [wall('w', 'timber', [50, -5], [50, 5])] });
    const { wallsDb, slabs, slabsDb } = Building.of(yard).path(station('a', 0, 0), node('n', 60, 0, { floor: 'hut' }), 2437);
    expect([wallsDb, slabs, slabsDb]).toEqual([7 + 3, 0, 0]);
  });
  it('counts the same walls from both ends, and as many as a solver of the two lines finds', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(coordinate, coordinate, coordinate, coordinate), { maxLength: 12 }),
        fc.tuple(coordinate, coordinate, coordinate, coordinate),
        (lines, [ax, ay, bx, by]) => {
          const walls = lines.map(([x1, y1, x2, y2], i) => wall(`w${i}`, 'brick', [x1, y1], [x2, y2 + 0.1]));
          const pieces = wallPieces({ walls, openings: [] }, emptyPlan().materials);
          // Cramer's rule on p + s·r = q + t·v.
          const met = walls.map(({ from: [x1, y1], to: [x2, y2] }) => {
            const det = (bx - ax) * (y2 - y1) - (by - ay) * (x2 - x1);
            const s = ((x1 - ax) * (y2 - y1) - (y1 - ay) * (x2 - x1)) / det;
            const t = ((x1 - ax) * (by - ay) - (y1 - ay) * (bx - ax)) / det;
            return [s, t] as const;
          });
          // A wall that merely touches the line with its end, or stands at the line's own, is a matter of rounding.
          fc.pre(met.flat().every((at) => !Number.isFinite(at) || (Math.abs(at) > 1e-6 && Math.abs(at - 1) > 1e-6)));
          const crossed = met.filter(([s, t]) => s > 0 && s < 1 && t > 0 && t < 1);
          const there = wallLossDb(pieces, ax, ay, bx, by);
          expect(there).toBeCloseTo(wallLossDb(pieces, bx, by, ax, ay), 9);
          expect(there).toBeCloseTo(crossed.length * 7, 9);
        },
      ),
    );
  });
});

describe('links on a plan', () => {
  it('are worked out by hand alike: 18 dBm, one brick wall, 10 m', () => {
    const one = plan({ stations: [station('a', 0, 0)] }, { walls: [wall('w', 'brick', [5, -5], [5, 5])] });
    const link = planLink(Building.of(one), one, parts, node('n', 10, 0), one.stations[0]!);
    // 40.18 dB at 1 m (P.525) + 22 dB for a decade at n = 2.2 + 7 dB of brick.
    expect(link.downDbm).toBeCloseTo(18 - 40.18 - 22 - 7, 1);
    expect(link.upDbm).toBeCloseTo(17 - 40.18 - 22 - 7, 1);
    expect(link.marginDb).toBeCloseTo(link.upDbm + 75, 9);
    expect(link.class).toBe('ample');
    expect([25, 20, 19.9, 10, 9.9, 0, -0.1].map(marginClass)).toEqual(['ample', 'ample', 'sound', 'sound', 'thin', 'thin', 'short']);
  });
  it('never count power over the local limit, and lose what the cable takes', () => {
    const loud = plan({ stations: [station('a', 0, 0, { powerDbm: 24, antenna: 'whip' })] });
    const at = (antenna: string, cableDb: number) =>
      planLink(Building.of(loud), loud, parts, node('n', 20, 0, { antenna, cableDb }), loud.stations[0]!);
    const plain = at('board', 0);
    expect([plain.stationRadiatedDbm, plain.limitDbm]).toEqual([27, 20]);
    expect(plain.downDbm).toBeCloseTo(20 - plain.path.lossDb, 9);
    const panel = at('panel', 1);
    // The panel hears 12 − 1 dB more, and may send no more than 3 dB more.
    expect(panel.downDbm - plain.downDbm).toBeCloseTo(11, 9);
    expect(panel.upDbm - plain.upDbm).toBeCloseTo(3, 9);
  });
  it('a directional antenna of a station serves where it points', () => {
    expect(gainTowards(ANTENNAS['panel']!, 0)).toBe(12);
    expect(gainTowards(ANTENNAS['panel']!, 20)).toBeCloseTo(12 - 3, 9);
    expect(gainTowards(ANTENNAS['panel']!, 180)).toBe(12 - 20);
    expect([bearingDegrees({ x: 0, y: 0 }, { x: 0, y: -5 }), bearingDegrees({ x: 0, y: 0 }, { x: 5, y: 0 })]).toEqual([0, 90]);
  });
  it('use the strongest access point, a gateway only when told to, and come thinnest first', () => {
    const both = plan({
      stations: [station('near', 0, 0), station('far', 60, 0), station('hut', 101, 0, { kind: 'gateway' })],
      nodes: [node('a', 5, 0), node('b', 100, 0), node('c', 100, 1, { via: 'hut' })],
    });
    expect(planLinks(both, parts).map(({ node: one, link }) => [one.node, link?.station.id])).toEqual([
      ['b', 'far'],
      ['a', 'near'],
      ['c', 'hut'],
    ]);
    expect(planLinks(plan({ nodes: [node('a', 0, 0)] }), parts)[0]?.link).toBeNull();
  });
});

describe('coverage', () => {
  const covered = plan(
    {
      stations: [station('a', 3, 3), station('b', 17, 9, { antenna: 'panel', aimDegrees: 270 }), station('hut', 1, 1, { kind: 'gateway' })],
    },
    { walls: [wall('w1', 'brick', [8, 0], [8, 12]), wall('w2', 'stone', [0, 6], [20, 6.5])] },
  );
  const grid = coverageGrid('ground', { left: 0, top: 0, right: 20, bottom: 12 }, 1);
  const usual = { powerDbm: 17, gainDbi: 0, heightMetres: 1.5 };
  it('is each cell’s best link', () => {
    const margins = coverage(covered, parts, grid, usual, null)!;
    const building = Building.of(covered);
    margins.forEach((margin, i) => {
      const place = node('n', (i % grid.columns) + 0.5, Math.floor(i / grid.columns) + 0.5);
      expect(margin).toBeCloseTo(bestLink(building, covered, parts, place)!.marginDb, 4);
    });
  });
  it('of one station never beats the best of all, and stops when it is told to', () => {
    const all = coverage(covered, parts, grid, usual, null)!;
    const one = coverage(covered, parts, grid, usual, 'a')!;
    expect(one.every((margin, i) => margin <= all[i]!)).toBe(true);
    expect(one.some((margin, i) => margin < all[i]! - 1)).toBe(true);
    expect(coverage(covered, parts, grid, usual, null, (done) => done < 0.5)).toBeNull();
  });
  it('never makes more cells than a page can bear', () => {
    const wide = coverageGrid('ground', { left: 0, top: 0, right: 4000, bottom: 3000 }, 0.25);
    expect(wide.columns * wide.rows).toBeLessThan(410_000);
  });
});

describe('fitting to what was measured', () => {
  // Levels made from a model that the fit does not know, with a steady ±2 dB ripple in place of chance.
  const truth = plan(
    { stations: [station('a', 0, 0)], model: { ...emptyPlan().model, exponent: 2.6, offsetDb: 3 } },
    { walls: [wall('w1', 'brick', [4, -30], [4, 30]), wall('w2', 'stone', [-30, 6], [30, 6])] },
  );
  truth.materials = truth.materials.map((material) => ({
    ...material,
    lossDb: material.id === 'brick' ? 10 : material.id === 'stone' ? 17 : material.lossDb,
  }));
  const spots = Array.from({ length: 60 }, (_, i) => ({ x: ((i * 7) % 29) - 9, y: ((i * 5) % 23) - 9 }));
  const samples = spots.map(({ x, y }, i) => {
    const level = planLink(Building.of(truth), truth, parts, node('n', x, y), truth.stations[0]!).downDbm;
    return { floor: 'ground', x, y, heightMetres: 1.5, station: 'a', levelDbm: level + 2 * Math.sin(i * 2.4), at: 0, gainDbi: 0 };
  });
  const guess: SitePlan = { ...truth, model: emptyPlan().model, materials: emptyPlan().materials };
  it('finds the exponent and the walls it was made from, and says what error remains', () => {
    const fit = fitModel(guess, parts, samples);
    const loss = (id: string): number => fit.materials.find((material) => material.id === id)!.lossDb;
    expect(Math.abs(fit.model.exponent - 2.6)).toBeLessThan(0.25);
    expect(Math.abs(loss('brick') - 10)).toBeLessThan(1.5);
    expect(Math.abs(loss('stone') - 17)).toBeLessThan(1.5);
    expect(fit.errorAfterDb).toBeLessThan(fit.errorBeforeDb / 3);
    expect(fit.errorAfterDb).toBeGreaterThan(0.5);
    expect(fit.errorElsewhereDb).toBeGreaterThanOrEqual(fit.errorAfterDb);
    expect(fit.model.errorDb).toBeLessThan(4);
    expect(fit.materials.find((material) => material.id === 'metal')).toEqual(guess.materials.find((material) => material.id === 'metal'));
  });
  it('moves little on few samples, and refuses fewer than three', () => {
    const fit = fitModel(guess, parts, samples.slice(0, 3));
    expect(Math.abs(fit.model.exponent - guess.model.exponent)).toBeLessThan(0.3);
    expect(fit.model.errorDb).toBeGreaterThan(5);
    expect(() => fitModel(guess, parts, samples.slice(0, 2))).toThrow(/Three measured levels/);
  });
  it('is ordinary least squares where nothing is known before: the first of Anscombe’s sets (F. J. Anscombe, The American Statistician 27, 1973; data from memory)', () => {
    const x = [10, 8, 13, 9, 11, 14, 6, 4, 12, 7, 5];
    const y = [8.04, 6.95, 7.58, 8.81, 8.33, 9.96, 7.24, 4.26, 10.84, 4.82, 5.68];
    const [slope, intercept] = ridge(
      x.map((value, i) => ({ basis: [value, 1], measured: y[i]! })),
      [0, 0],
      [1e6, 1e6],
      1,
      [-1e9, -1e9],
    );
    expect(slope).toBeCloseTo(0.5, 3);
    expect(intercept).toBeCloseTo(3, 2);
  });
  it('holds a wall at nothing rather than let it amplify', () => {
    expect(ridge([{ basis: [1], measured: -9 }], [5], [100], 1, [0])).toEqual([0]);
  });
});
