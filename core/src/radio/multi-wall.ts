import type { Floor, Material, RadioModel, SitePlan } from '../site-plan';
import { channelMegahertz } from './channel';
import { floorLossDb, freeSpaceLossDb } from './path-loss';

/** Numbers a wall piece: ends (x, y), loss dB, index of its material. */
const STRIDE = 6;

/** The pieces of a floor's walls as one row of numbers: x1, y1, x2, y2, loss, material; openings are pieces of their own. */
export interface WallPieces {
  readonly at: Float64Array;
  readonly count: number;
}

/** Cuts a floor's walls at their openings. An opening that reaches past its wall's end is cut off there; overlapping ones add nothing. */
export function wallPieces(floor: Pick<Floor, 'walls' | 'openings'>, materials: readonly Material[]): WallPieces {
  const index = new Map(materials.map((material, i) => [material.id, i]));
  const pieces: number[] = [];
  for (const wall of floor.walls) {
    const length = Math.hypot(wall.to[0] - wall.from[0], wall.to[1] - wall.from[1]);
    const put = (start: number, end: number, material: string | null): void => {
      if (end - start < 1e-9) return;
      const number = material === null ? -1 : (index.get(material) ?? -1);
      if (number === -1) return;
      const along = (metres: number, axis: 0 | 1): number => wall.from[axis] + (metres / length) * (wall.to[axis] - wall.from[axis]);
      pieces.push(along(start, 0), along(start, 1), along(end, 0), along(end, 1), materials[number]?.lossDb ?? 0, number);
    };
    let done = 0;
    const openings = floor.openings.filter((opening) => opening.wall === wall.id).sort((a, b) => a.atMetres - b.atMetres);
    for (const opening of openings) {
      const start = Math.min(length, Math.max(done, opening.atMetres));
      const end = Math.min(length, Math.max(start, opening.atMetres + opening.widthMetres));
      put(done, start, wall.material);
      put(start, end, opening.material);
      done = end;
    }
    put(done, length, wall.material);
  }
  return { at: Float64Array.from(pieces), count: pieces.length / STRIDE };
}

/** Within this share of its length a crossing lies at the end of a line. */
const AT_END = 1e-9;

/**
 * Loss of the pieces that the straight line from (ax, ay) to (bx, by) goes through, dB. A piece counts when its ends lie on
 * different sides of the line (an end on the line counts as one side, so a joint of two pieces counts once).
 * `crossed`, when given, counts the crossings by material.
 */
export function wallLossDb(pieces: WallPieces, ax: number, ay: number, bx: number, by: number, crossed?: number[]): number {
  return lossOfMet(pieces, ax, ay, bx, by, false, crossed);
}

/**
 * Loss of the pieces that lie exactly at the end of the line from (ax, ay) to (bx, by), dB: `wallLossDb` leaves them out, since a node
 * on a wall is not behind it. Where the line goes on through a slab, they count.
 */
export function wallLossAtEndDb(pieces: WallPieces, ax: number, ay: number, bx: number, by: number, crossed?: number[]): number {
  return lossOfMet(pieces, ax, ay, bx, by, true, crossed);
}

/** Loss of the pieces met between the ends of a line, or just at its far end, dB. */
function lossOfMet({ at }: WallPieces, ax: number, ay: number, bx: number, by: number, atEnd: boolean, crossed?: number[]): number {
  const dx = bx - ax;
  const dy = by - ay;
  let sum = 0;
  for (let i = 0; i < at.length; i += STRIDE) {
    const x1 = (at[i] as number) - ax;
    const y1 = (at[i + 1] as number) - ay;
    const x2 = (at[i + 2] as number) - ax;
    const y2 = (at[i + 3] as number) - ay;
    if (dx * y1 - dy * x1 > 0 === dx * y2 - dy * x2 > 0) continue;
    const ex = x2 - x1;
    const ey = y2 - y1;
    const t = (x1 * ey - y1 * ex) / (dx * ey - dy * ex);
    if (atEnd ? Math.abs(t - 1) > AT_END : t <= AT_END || t >= 1 - AT_END) continue;
    sum += at[i + 4] as number;
    if (crossed) {
      const material = at[i + 5] as number;
      crossed[material] = (crossed[material] ?? 0) + 1;
    }
  }
  return sum;
}

/** A place in the building for the radio: on which floor, where, how high above it. */
export interface Place {
  readonly floor: string;
  readonly x: number;
  readonly y: number;
  readonly heightMetres: number;
}

interface Level {
  readonly elevationMetres: number;
  readonly slabLossDb: number;
  readonly pieces: WallPieces;
}

/** What is between two places. */
export interface Path {
  readonly metres: number;
  readonly wallsDb: number;
  readonly slabs: number;
  readonly slabsDb: number;
  /** Crossings by index of material. */
  readonly crossed: readonly number[];
  readonly lossDb: number;
}

/**
 * A plan made ready for the radio arithmetic. Multi-wall model:
 * loss = free space at 1 m + 10·n·log₁₀(d) + Σ walls + floors + offset, d in three dimensions and from 1 m.
 * Walls count on the floor the line passes at that height. Source: COST 231 final report, multi-wall model (floors by its
 * formula); the exponent and the walls' losses are the model's own and are fitted to measurements.
 */
export class Building {
  readonly levels: readonly Level[];
  private readonly order: ReadonlyMap<string, number>;

  constructor(
    readonly materials: readonly Material[],
    readonly model: Pick<RadioModel, 'exponent' | 'offsetDb'>,
    floors: readonly Floor[],
  ) {
    // Floors of one height lie side by side, as a yard and a hut do: one level, and no slab between them.
    const heights = [...new Set(floors.map((floor) => floor.elevationMetres))].sort((a, b) => a - b);
    this.levels = heights.map((elevationMetres) => {
      const here = floors.filter((floor) => floor.elevationMetres === elevationMetres);
      const pieces = here.map((floor) => wallPieces(floor, materials));
      return {
        elevationMetres,
        slabLossDb: Math.max(...here.map((floor) => floor.slabLossDb)),
        pieces: {
          at: Float64Array.from(pieces.flatMap((one) => [...one.at])),
          count: pieces.reduce((sum, one) => sum + one.count, 0),
        },
      };
    });
    this.order = new Map(floors.map((floor) => [floor.id, heights.indexOf(floor.elevationMetres)]));
  }

  static of(plan: Pick<SitePlan, 'materials' | 'model' | 'floors'>): Building {
    return new Building(plan.materials, plan.model, plan.floors);
  }

  /** Number of the level a floor is, from the lowest. Throws `RangeError` for a floor that is not there. */
  levelOf(floor: string): number {
    const level = this.order.get(floor);
    if (level === undefined) throw new RangeError(`there is no floor ${floor}`);
    return level;
  }

  /** Losses of slabs between two levels, dB: the mean slab by the multi-floor formula. */
  slabsDb(a: number, b: number): number {
    const count = Math.abs(a - b);
    if (count === 0) return 0;
    let sum = 0;
    for (let i = Math.min(a, b) + 1; i <= Math.max(a, b); i++) sum += this.levels[i]?.slabLossDb ?? 0;
    return floorLossDb(count, sum / count);
  }

  /** Walls between two places, dB, each on the floor the line passes there. */
  wallsDb(from: Place, to: Place, fromLevel: number, toLevel: number, crossed?: number[]): number {
    if (fromLevel === toLevel) return wallLossDb((this.levels[fromLevel] as Level).pieces, from.x, from.y, to.x, to.y, crossed);
    const z1 = (this.levels[fromLevel] as Level).elevationMetres + from.heightMetres;
    const z2 = (this.levels[toLevel] as Level).elevationMetres + to.heightMetres;
    let sum = 0;
    /** Walls met exactly at the slab by the level below. */
    let below = { lossDb: 0, crossed: [] as number[] };
    for (let i = Math.min(fromLevel, toLevel); i <= Math.max(fromLevel, toLevel); i++) {
      const bottom = i === Math.min(fromLevel, toLevel) ? -Infinity : (this.levels[i] as Level).elevationMetres;
      const top = i === Math.max(fromLevel, toLevel) ? Infinity : (this.levels[i + 1] as Level).elevationMetres;
      const [low, high] =
        z2 === z1 ? [0, 1] : ([(bottom - z1) / (z2 - z1), (top - z1) / (z2 - z1)].sort((a, b) => a - b) as [number, number]);
      const start = Math.max(0, low);
      const end = Math.min(1, high);
      if (end <= start) continue;
      const x = (t: number): number => from.x + t * (to.x - from.x);
      const y = (t: number): number => from.y + t * (to.y - from.y);
      const { pieces } = this.levels[i] as Level;
      sum += wallLossDb(pieces, x(start), y(start), x(end), y(end), crossed);
      // Towards which end of the line the slabs below and above lie.
      const rising = z2 > z1;
      const atSlab = (up: boolean): { lossDb: number; crossed: number[] } => {
        const found: number[] = [];
        const [a, b] = up === rising ? [start, end] : [end, start];
        return { lossDb: wallLossAtEndDb(pieces, x(a), y(a), x(b), y(b), found), crossed: found };
      };
      if (i > Math.min(fromLevel, toLevel)) {
        // One wall that stands on both floors is met once: the stronger of the two counts.
        const here = atSlab(false);
        const met = here.lossDb > below.lossDb ? here : below;
        sum += met.lossDb;
        if (crossed) met.crossed.forEach((count, material) => (crossed[material] = (crossed[material] ?? 0) + count));
      }
      below = i < Math.max(fromLevel, toLevel) ? atSlab(true) : { lossDb: 0, crossed: [] };
    }
    return sum;
  }

  /** Does a straight line between two spots of one level go through a wall, a door or a window included? */
  crossesWall(from: Pick<Place, 'x' | 'y'>, to: Pick<Place, 'x' | 'y'>, level: number): boolean {
    const crossed: number[] = [];
    wallLossDb((this.levels[level] as Level).pieces, from.x, from.y, to.x, to.y, crossed);
    return crossed.some((count) => count > 0);
  }

  /** Everything between two places at a frequency, MHz. */
  path(from: Place, to: Place, megahertz: number): Path {
    const [a, b] = [this.levelOf(from.floor), this.levelOf(to.floor)];
    const crossed: number[] = [];
    const wallsDb = this.wallsDb(from, to, a, b, crossed);
    const slabsDb = this.slabsDb(a, b);
    const rise =
      (this.levels[b] as Level).elevationMetres + to.heightMetres - (this.levels[a] as Level).elevationMetres - from.heightMetres;
    const metres = Math.hypot(to.x - from.x, to.y - from.y, rise);
    return { metres, wallsDb, slabs: Math.abs(a - b), slabsDb, crossed, lossDb: this.openLossDb(metres, megahertz) + wallsDb + slabsDb };
  }

  /** Loss without walls and floors, dB. */
  openLossDb(metres: number, megahertz: number): number {
    return freeSpaceLossDb(megahertz, 1) + 10 * this.model.exponent * Math.log10(Math.max(1, metres)) + this.model.offsetDb;
  }
}

/** Centre of a 2.4 GHz channel, MHz; channel 6 for one that does not exist. */
export const stationMegahertz = (channel: number): number => channelMegahertz(2.4, channel) ?? 2437;
