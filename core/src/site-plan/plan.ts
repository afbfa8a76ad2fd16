import * as z from 'zod';
import { nodeIdSchema } from '../wire';
import { areaSquareMetres, crossesItself, type Spot } from './geometry';

const id = z.string().regex(/^[a-z0-9][a-z0-9-]{0,39}$/, 'use a–z, 0–9 and hyphen, 40 at most');
const name = z.string().trim().min(1, 'a name is needed').max(60);
const metre = z.number().min(-5000, 'lies more than 5 km away').max(5000, 'lies more than 5 km away');
const height = z.number().min(-20).max(100);
const spotSchema = z.tuple([metre, metre]);

/** How a wall is drawn: what it is made of is told by its pattern, never by colour. */
export const wallPatternSchema = z.enum(['rubble', 'core', 'double', 'ticked', 'plain', 'filled']);

/** What walls and doors are made of, and what one of them takes from a 2.4 GHz signal that goes straight through. */
export const materialSchema = z.object({
  id,
  name,
  pattern: wallPatternSchema,
  lossDb: z.number().min(0).max(80),
  fitted: z.boolean().default(false),
});
export type Material = z.infer<typeof materialSchema>;

const wallSchema = z.object({ id, material: id, from: spotSchema, to: spotSchema, thicknessMillimetres: z.number().min(1).max(3000) });
export type Wall = z.infer<typeof wallSchema>;

/** A door, window or gap in a wall: from its start along it; `material` is what closes it, `null` nothing. */
const openingSchema = z.object({
  id,
  wall: id,
  atMetres: z.number().min(0).max(5000),
  widthMetres: z.number().min(0.2).max(100),
  material: id.nullable(),
});
export type Opening = z.infer<typeof openingSchema>;

const roomSchema = z.object({
  id,
  name,
  outline: z
    .array(spotSchema)
    .min(3, 'a room needs three corners')
    .max(200, 'a room has at most 200 corners')
    .refine((outline) => !crossesItself(outline), 'the outline crosses itself: move a corner so that no two sides cross')
    .refine((outline) => areaSquareMetres(outline) >= 0.2, 'the room is smaller than 0.2 m²: check the scale'),
});
export type PlanRoom = z.infer<typeof roomSchema>;

/** Where a presence sensor tells people apart. */
const zoneSchema = z.object({
  id,
  node: nodeIdSchema,
  name,
  x: metre,
  y: metre,
  widthMetres: z.number().min(0.2).max(200),
  depthMetres: z.number().min(0.2).max(200),
});
export type Zone = z.infer<typeof zoneSchema>;

/** A picture under a floor; its upper left corner stands at (x, y). */
const pictureSchema = z.object({
  id: z.string().regex(/^[0-9a-f]{64}$/),
  widthPixels: z.number().int().positive().max(8000),
  heightPixels: z.number().int().positive().max(8000),
  metresPerPixel: z
    .number()
    .min(0.0005, 'the scale is absurd: one pixel would be less than half a millimetre. Click the two points again and check the distance')
    .max(5, 'the scale is absurd: one pixel would be more than 5 m. Click the two points again and check the distance'),
  x: metre,
  y: metre,
});
export type Picture = z.infer<typeof pictureSchema>;

export const WALLS_MOST = 2000;
const floorSchema = z.object({
  id,
  name,
  elevationMetres: height,
  /** What the slab under this floor takes from a signal. */
  slabLossDb: z.number().min(0).max(80),
  picture: pictureSchema.nullable().default(null),
  walls: z.array(wallSchema).max(WALLS_MOST, `a floor holds at most ${WALLS_MOST} walls: join short pieces, or split the plan`),
  openings: z.array(openingSchema).max(WALLS_MOST),
  rooms: z.array(roomSchema).max(200, 'a floor holds at most 200 rooms'),
  zones: z.array(zoneSchema).max(200),
});
export type Floor = z.infer<typeof floorSchema>;

/** An access point, repeater or gateway. `power` is what leaves the transmitter, before cable and antenna. */
const stationSchema = z.object({
  id,
  name,
  kind: z.enum(['access point', 'repeater', 'gateway']),
  floor: id,
  x: metre,
  y: metre,
  heightMetres: height,
  channel: z.number().int().min(1).max(13),
  powerDbm: z.number().min(-10).max(36),
  antenna: id,
  cableDb: z.number().min(0).max(40),
  /** Where a directional antenna points, degrees clockwise from the top of the plan. */
  aimDegrees: z.number().min(0).max(360).default(0),
});
export type Station = z.infer<typeof stationSchema>;

const placedNodeSchema = z.object({
  node: nodeIdSchema,
  floor: id,
  x: metre,
  y: metre,
  heightMetres: height,
  antenna: id,
  cableDb: z.number().min(0).max(40),
  /** The station it must use; `null`: the strongest access point or repeater. */
  via: id.nullable().default(null),
});
export type PlacedNode = z.infer<typeof placedNodeSchema>;

/** One level heard on a survey walk, or at a node. */
export const sampleSchema = z.object({
  floor: id,
  x: metre,
  y: metre,
  heightMetres: height,
  station: id,
  levelDbm: z.number().min(-120).max(0),
  at: z.number(),
});
export type Sample = z.infer<typeof sampleSchema>;

export const radioModelSchema = z.object({
  /** Loss grows with 10·n·log₁₀(distance); walls come on top, so n stands near free space. */
  exponent: z.number().min(1.2).max(5),
  offsetDb: z.number().min(-40).max(40),
  /** What an arriving level must reach. */
  planningFloorDbm: z.number().min(-95).max(-40),
  /** Radiated power the local rules allow. */
  radiatedLimitDbm: z.number().min(0).max(36),
  /** One standard deviation of prediction against measurement. */
  errorDb: z.number().min(1).max(20),
  /** One standard deviation of a level over time: people, doors, rain. */
  fadingDb: z.number().min(0).max(12),
  /** How many measurements it was fitted to; 0: not fitted. */
  fittedTo: z.number().int().min(0).default(0),
});
export type RadioModel = z.infer<typeof radioModelSchema>;

/** Everything drawn of a site. Metres; x to the right, y down the page. The project's own exchange format as well. */
export const sitePlanSchema = z
  .object({
    format: z.literal(1, 'this file is of another version: export it again with this one'),
    kind: z.literal('site plan', 'this is no site plan'),
    /** Where (0, 0) lies on the earth, and what the top of the plan points to, degrees clockwise from north. */
    anchor: z.object({
      latitude: z.number().min(-85).max(85),
      longitude: z.number().min(-180).max(180),
      bearingDegrees: z.number().min(0).max(360),
    }),
    materials: z.array(materialSchema).min(1).max(40),
    floors: z.array(floorSchema).min(1, 'a plan has one floor at least').max(12, 'a plan has 12 floors at most'),
    stations: z.array(stationSchema).max(60),
    nodes: z.array(placedNodeSchema).max(400),
    samples: z.array(sampleSchema).max(2000).default([]),
    model: radioModelSchema,
  })
  .superRefine((plan, context) => {
    const say = (path: (string | number)[], message: string): void => context.addIssue({ code: 'custom', path, message });
    const unique = (ids: readonly string[], path: (string | number)[], what: string): void => {
      const twice = ids.find((one, i) => ids.indexOf(one) !== i);
      if (twice !== undefined) say(path, `${what} ${twice} stands here twice`);
    };
    unique(
      plan.floors.map((floor) => floor.id),
      ['floors'],
      'floor',
    );
    unique(
      plan.stations.map((station) => station.id),
      ['stations'],
      'station',
    );
    unique(
      plan.nodes.map((placed) => placed.node),
      ['nodes'],
      'node',
    );
    unique(
      plan.materials.map((material) => material.id),
      ['materials'],
      'material',
    );
    const floors = new Set(plan.floors.map((floor) => floor.id));
    const materials = new Set(plan.materials.map((material) => material.id));
    const stations = new Set(plan.stations.map((station) => station.id));
    plan.floors.forEach((floor, f) => {
      const walls = new Set(floor.walls.map((wall) => wall.id));
      unique([...walls].length === floor.walls.length ? [] : floor.walls.map((wall) => wall.id), ['floors', f, 'walls'], 'wall');
      unique(
        floor.rooms.map((room) => room.id),
        ['floors', f, 'rooms'],
        'room',
      );
      floor.walls.forEach((wall, i) => {
        if (!materials.has(wall.material))
          say(['floors', f, 'walls', i, 'material'], `there is no material ${wall.material}: add it to materials`);
        if (wall.from[0] === wall.to[0] && wall.from[1] === wall.to[1]) say(['floors', f, 'walls', i], 'the wall has no length');
      });
      floor.openings.forEach((opening, i) => {
        if (!walls.has(opening.wall)) say(['floors', f, 'openings', i, 'wall'], `there is no wall ${opening.wall} on this floor`);
        if (opening.material !== null && !materials.has(opening.material))
          say(['floors', f, 'openings', i, 'material'], `there is no material ${opening.material}`);
      });
    });
    plan.stations.forEach((station, i) => {
      if (!floors.has(station.floor)) say(['stations', i, 'floor'], `there is no floor ${station.floor}`);
    });
    plan.nodes.forEach((placed, i) => {
      if (!floors.has(placed.floor)) say(['nodes', i, 'floor'], `there is no floor ${placed.floor}`);
      if (placed.via !== null && !stations.has(placed.via)) say(['nodes', i, 'via'], `there is no station ${placed.via}`);
    });
  });
export type SitePlan = z.infer<typeof sitePlanSchema>;

/** Walls as they are met in buildings, at 2.4 GHz and straight through. Common practice, from memory: fit them to what is measured. */
export const COMMON_MATERIALS: readonly Material[] = [
  { id: 'stone', name: 'Stone, 600 mm', pattern: 'rubble', lossDb: 12, fitted: false },
  { id: 'brick', name: 'Brick', pattern: 'core', lossDb: 7, fitted: false },
  { id: 'concrete', name: 'Concrete', pattern: 'filled', lossDb: 15, fitted: false },
  { id: 'timber', name: 'Timber, plasterboard', pattern: 'double', lossDb: 3, fitted: false },
  { id: 'glass', name: 'Glass', pattern: 'ticked', lossDb: 3, fitted: false },
  { id: 'metal', name: 'Metal, foil', pattern: 'plain', lossDb: 26, fitted: false },
];

/** A plan with one empty floor. ±8 dB until fitted; 20 dBm radiated as in ETSI EN 300 328; −75 dBm as planning floor (common practice). */
export const emptyPlan = (): SitePlan => ({
  format: 1,
  kind: 'site plan',
  anchor: { latitude: 52, longitude: 0, bearingDegrees: 0 },
  materials: COMMON_MATERIALS.map((material) => ({ ...material })),
  floors: [
    {
      id: 'ground',
      name: 'Ground floor',
      elevationMetres: 0,
      slabLossDb: 15,
      picture: null,
      walls: [],
      openings: [],
      rooms: [],
      zones: [],
    },
  ],
  stations: [],
  nodes: [],
  samples: [],
  model: { exponent: 2.2, offsetDb: 0, planningFloorDbm: -75, radiatedLimitDbm: 20, errorDb: 8, fadingDb: 4, fittedTo: 0 },
});

/** The first free id of a stem: `stem-1`, `stem-2`, … */
export function freeId(taken: Iterable<string>, stem: string): string {
  const set = new Set(taken);
  for (let i = 1; ; i++) if (!set.has(`${stem}-${i}`)) return `${stem}-${i}`;
}

/** Upper left and lower right of everything on a floor, m; a 20 × 15 m sheet where nothing is drawn. */
export function extentOf(plan: SitePlan, floorId: string): { left: number; top: number; right: number; bottom: number } {
  const floor = plan.floors.find((one) => one.id === floorId);
  const spots: Spot[] = [
    ...(floor?.walls.flatMap((wall) => [wall.from, wall.to]) ?? []),
    ...(floor?.rooms.flatMap((room) => room.outline) ?? []),
    ...[...plan.stations, ...plan.nodes].filter((one) => one.floor === floorId).map((one): Spot => [one.x, one.y]),
  ];
  if (floor?.picture) {
    const { x, y, widthPixels, heightPixels, metresPerPixel } = floor.picture;
    spots.push([x, y], [x + widthPixels * metresPerPixel, y + heightPixels * metresPerPixel]);
  }
  if (spots.length === 0) return { left: 0, top: 0, right: 20, bottom: 15 };
  const xs = spots.map(([x]) => x);
  const ys = spots.map(([, y]) => y);
  return { left: Math.min(...xs), top: Math.min(...ys), right: Math.max(...xs), bottom: Math.max(...ys) };
}

/** A floor over an existing one: the same walls, openings and rooms (named anew, since a room is one place), nothing placed on it. */
export function copyFloor(floor: Floor, copy: { id: string; name: string; elevationMetres: number }): Floor {
  return {
    ...floor,
    ...copy,
    rooms: floor.rooms.map((room) => ({ ...room, name: `${room.name}, ${copy.name}`.slice(0, 60) })),
    zones: [],
  };
}
