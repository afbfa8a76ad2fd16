import { emptyPlan, type Floor, type PlacedNode, type SitePlan, type Station } from '../site-plan';
import { type RadioParts, type RemedyMeans } from '.';

/** Stations, nodes and walls that the tests of the radio plan stand on. */
export const station = (id: string, x: number, y: number, more: Partial<Station> = {}): Station => ({
  id,
  name: id,
  kind: 'access point',
  floor: 'ground',
  x,
  y,
  heightMetres: 1.5,
  channel: 6,
  powerDbm: 18,
  antenna: 'board',
  cableDb: 0,
  aimDegrees: 0,
  ...more,
});
export const node = (name: string, x: number, y: number, more: Partial<PlacedNode> = {}): PlacedNode => ({
  node: name,
  floor: 'ground',
  x,
  y,
  heightMetres: 1.5,
  antenna: 'board',
  cableDb: 0,
  via: null,
  ...more,
});
export const wall = (id: string, material: string, from: [number, number], to: [number, number]) => ({
  id,
  material,
  from,
  to,
  thicknessMillimetres: 100,
});
export const plan = (more: Partial<SitePlan>, floor: Partial<Floor> = {}): SitePlan => {
  const empty = emptyPlan();
  return { ...empty, floors: empty.floors.map((one) => ({ ...one, ...floor })), ...more };
};
export const ANTENNAS: Record<string, { gainDbi: number; beamDegrees: number }> = {
  board: { gainDbi: 0, beamDegrees: 360 },
  whip: { gainDbi: 3, beamDegrees: 360 },
  panel: { gainDbi: 12, beamDegrees: 40 },
};
export const parts: RadioParts = { antenna: (id) => ANTENNAS[id] ?? { gainDbi: 0, beamDegrees: 360 }, nodePowerDbm: () => 17 };
export const means: RemedyMeans = {
  antennas: [
    { id: 'whip', name: 'Whip', ...ANTENNAS['whip']!, price: 4, cableDb: 0.5 },
    { id: 'panel', name: 'Panel', ...ANTENNAS['panel']!, price: 22, cableDb: 1 },
  ],
  repeaterPrice: 25,
  gatewayPrice: 90,
  stationAntenna: 'whip',
  takesAntenna: () => true,
  reachMetres: () => 6,
};
