import * as z from 'zod';
import { slug } from '../naming';
import { isClockwise, type Spot } from './geometry';
import { emptyPlan, sitePlanSchema, type Floor, type SitePlan } from './plan';

/** Metres a degree of latitude, on the sphere of mean radius 6 371 008.8 m (IUGG). */
const METRES_PER_DEGREE = (6_371_008.8 * Math.PI) / 180;

type Anchor = SitePlan['anchor'];

/** Longitude and latitude of a spot, degrees. A tangent plane: within a kilometre of the anchor the error is millimetres. */
export function toDegrees(anchor: Anchor, [x, y]: Spot): [number, number] {
  const turn = (anchor.bearingDegrees * Math.PI) / 180;
  const east = x * Math.cos(turn) - y * Math.sin(turn);
  const south = x * Math.sin(turn) + y * Math.cos(turn);
  const cos = Math.cos((anchor.latitude * Math.PI) / 180);
  const digits = (value: number): number => Math.round(value * 1e9) / 1e9;
  return [digits(anchor.longitude + east / (METRES_PER_DEGREE * cos)), digits(anchor.latitude - south / METRES_PER_DEGREE)];
}

/** The spot at a longitude and latitude, m. */
export function fromDegrees(anchor: Anchor, [longitude, latitude]: readonly [number, number]): Spot {
  const turn = (anchor.bearingDegrees * Math.PI) / 180;
  const cos = Math.cos((anchor.latitude * Math.PI) / 180);
  const east = (longitude - anchor.longitude) * METRES_PER_DEGREE * cos;
  const south = (anchor.latitude - latitude) * METRES_PER_DEGREE;
  return [east * Math.cos(turn) + south * Math.sin(turn), south * Math.cos(turn) - east * Math.sin(turn)];
}

const position = z.tuple([z.number().min(-180).max(180), z.number().min(-90).max(90)]).rest(z.number());
const geometrySchema = z.discriminatedUnion('type', [
  z.object({ type: z.literal('Point'), coordinates: position }),
  z.object({ type: z.literal('LineString'), coordinates: z.array(position).min(2) }),
  z.object({ type: z.literal('Polygon'), coordinates: z.array(z.array(position).min(4)).min(1) }),
]);
const collectionSchema = z.object({
  type: z.literal('FeatureCollection', 'this is no GeoJSON feature collection'),
  features: z
    .array(
      z.object({
        type: z.literal('Feature'),
        properties: z.record(z.string(), z.unknown()).nullable(),
        geometry: z.union([geometrySchema, z.object({ type: z.string() }), z.null()]),
      }),
    )
    .max(8000, 'a file holds at most 8000 features'),
});

/** A plan as GeoJSON (RFC 7946): walls as lines, rooms and zones as polygons, openings, stations and nodes as points; lossless but for pictures and the model. */
export function toGeoJson(plan: SitePlan): object {
  const at = (spot: Spot): [number, number] => toDegrees(plan.anchor, spot);
  const ring = (outline: readonly Spot[]): [number, number][] => {
    // Outer rings go anticlockwise seen from above; the page's y points down.
    const turned = isClockwise(outline) ? [...outline].reverse() : [...outline];
    return [...turned, turned[0] as Spot].map(at);
  };
  const feature = (geometry: object, properties: object): object => ({ type: 'Feature', geometry, properties });
  return {
    type: 'FeatureCollection',
    features: [
      ...plan.floors.flatMap((floor) => [
        ...floor.walls.map(({ from, to, ...wall }) => {
          const material = plan.materials.find((one) => one.id === wall.material);
          return feature(
            { type: 'LineString', coordinates: [at(from), at(to)] },
            {
              what: 'wall',
              floor: floor.id,
              floorName: floor.name,
              elevationMetres: floor.elevationMetres,
              slabLossDb: floor.slabLossDb,
              lossDb: material?.lossDb,
              ...wall,
            },
          );
        }),
        ...floor.openings.map((opening) => {
          const wall = floor.walls.find((one) => one.id === opening.wall);
          const [a, b] = wall
            ? [wall.from, wall.to]
            : ([
                [0, 0],
                [0, 0],
              ] as [Spot, Spot]);
          const part = opening.atMetres / Math.max(1e-9, Math.hypot(b[0] - a[0], b[1] - a[1]));
          return feature(
            { type: 'Point', coordinates: at([a[0] + part * (b[0] - a[0]), a[1] + part * (b[1] - a[1])]) },
            { what: 'opening', floor: floor.id, ...opening },
          );
        }),
        ...floor.rooms.map(({ outline, ...room }) =>
          feature(
            { type: 'Polygon', coordinates: [ring(outline)] },
            { what: 'room', floor: floor.id, floorName: floor.name, elevationMetres: floor.elevationMetres, ...room },
          ),
        ),
        ...floor.zones.map((zone) =>
          feature(
            {
              type: 'Polygon',
              coordinates: [
                ring([
                  [zone.x, zone.y],
                  [zone.x + zone.widthMetres, zone.y],
                  [zone.x + zone.widthMetres, zone.y + zone.depthMetres],
                  [zone.x, zone.y + zone.depthMetres],
                ]),
              ],
            },
            { what: 'zone', floor: floor.id, ...zone },
          ),
        ),
      ]),
      ...plan.stations.map(({ x, y, ...station }) => feature({ type: 'Point', coordinates: at([x, y]) }, { what: 'station', ...station })),
      ...plan.nodes.map(({ x, y, ...placed }) => feature({ type: 'Point', coordinates: at([x, y]) }, { what: 'node', ...placed })),
    ],
  };
}

/**
 * Reads GeoJSON into a plan: features of ours come back as they were; of anyone else's file lines become walls of `material`
 * and polygons rooms, named by their `name` or `room` property. Gives the plan and what was left out, in words.
 * Throws a `ZodError` naming the path where it does not fit.
 */
export function fromGeoJson(json: unknown, current: SitePlan, material: string): { plan: SitePlan; notes: string[] } {
  const { features } = collectionSchema.parse(json);
  const anchor =
    current.anchor.latitude === emptyPlan().anchor.latitude && current.anchor.longitude === emptyPlan().anchor.longitude
      ? (anchorOf(features) ?? current.anchor)
      : current.anchor;
  const floors = new Map<string, Floor>();
  const notes: string[] = [];
  const stations: unknown[] = [];
  const nodes: unknown[] = [];
  let left = 0;
  const spot = (at: readonly number[]): Spot => {
    const [x, y] = fromDegrees(anchor, [at[0] ?? 0, at[1] ?? 0]);
    // Adding 0 turns −0 into 0.
    return [Math.round(x * 1000) / 1000 + 0, Math.round(y * 1000) / 1000 + 0];
  };
  const text = (value: unknown): string | null => (typeof value === 'string' && value.trim() !== '' ? value.trim() : null);
  const number = (value: unknown, otherwise: number): number => (typeof value === 'number' ? value : otherwise);
  const floorOf = (about: Record<string, unknown>): Floor => {
    const id = slug(text(about['floor']) ?? text(about['level']) ?? 'ground').slice(0, 40) || 'ground';
    const known = floors.get(id);
    if (known) return known;
    const before = current.floors.find((floor) => floor.id === id);
    const floor: Floor = {
      id,
      name: text(about['floorName']) ?? before?.name ?? id,
      elevationMetres: number(about['elevationMetres'], before?.elevationMetres ?? floors.size * 3),
      slabLossDb: number(about['slabLossDb'], before?.slabLossDb ?? 15),
      picture: before?.picture ?? null,
      walls: [],
      openings: [],
      rooms: [],
      zones: [],
    };
    floors.set(id, floor);
    return floor;
  };
  const known = (wanted: unknown): string => {
    const id = text(wanted);
    return id !== null && current.materials.some((one) => one.id === id) ? id : material;
  };
  for (const { geometry, properties } of features) {
    const about = properties ?? {};
    const parsed = geometrySchema.safeParse(geometry);
    if (!parsed.success) {
      left++;
      continue;
    }
    const shape = parsed.data;
    const what = text(about['what']);
    if (shape.type === 'Point') {
      const [x, y] = spot(shape.coordinates);
      if (what === 'station') stations.push({ ...about, x, y });
      else if (what === 'node') nodes.push({ ...about, x, y });
      else if (what === 'opening') floorOf(about).openings.push({ ...(about as unknown as Floor['openings'][number]) });
      else left++;
      continue;
    }
    const floor = floorOf(about);
    if (shape.type === 'LineString') {
      const corners = shape.coordinates.map(spot);
      corners.slice(1).forEach((to, i) => {
        const id = corners.length === 2 && what === 'wall' ? text(about['id']) : null;
        floor.walls.push({
          id: id ?? `wall-${floor.walls.length + 1}`,
          material: known(about['material']),
          from: [...(corners[i] as Spot)],
          to: [...to],
          thicknessMillimetres: number(about['thicknessMillimetres'], 150),
        });
      });
      continue;
    }
    const outline = (shape.coordinates[0] ?? []).slice(0, -1).map(spot);
    if (shape.coordinates.length > 1) notes.push('a polygon had holes: only its outer edge was taken');
    if (what === 'zone') floor.zones.push({ ...(about as unknown as Floor['zones'][number]) });
    else
      floor.rooms.push({
        id: (what === 'room' && text(about['id'])) || `room-${floor.rooms.length + 1}`,
        name: (text(about['name']) ?? text(about['room']) ?? `Room ${floor.rooms.length + 1}`).slice(0, 60),
        outline: outline.map(([x, y]) => [x, y]),
      });
  }
  if (floors.size === 0) throw new RangeError('The file has no line and no polygon: there is no wall and no room in it.');
  if (left > 0) notes.push(`${left} features were left out: only lines, polygons and our own points are taken`);
  const plan = sitePlanSchema.parse({ ...current, anchor, floors: [...floors.values()], stations, nodes, samples: [] });
  return { plan, notes };
}

function anchorOf(features: z.infer<typeof collectionSchema>['features']): Anchor | null {
  for (const { geometry } of features) {
    const parsed = geometrySchema.safeParse(geometry);
    if (!parsed.success) continue;
    const [longitude, latitude] =
      (parsed.data.type === 'Point'
        ? parsed.data.coordinates
        : parsed.data.type === 'LineString'
          ? parsed.data.coordinates[0]
          : parsed.data.coordinates[0]?.[0]) ?? [];
    if (longitude !== undefined && latitude !== undefined) return { longitude, latitude, bearingDegrees: 0 };
  }
  return null;
}
