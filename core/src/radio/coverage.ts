import type { SitePlan } from '../site-plan';
import { bearingDegrees, gainTowards } from './antenna';
import { Building, stationMegahertz, type Place } from './multi-wall';
import type { RadioParts } from './plan-link';

/** A floor cut into square cells. */
export interface CoverageGrid {
  readonly floor: string;
  readonly left: number;
  readonly top: number;
  readonly columns: number;
  readonly rows: number;
  readonly cellMetres: number;
}

/** The grid over an area. At most 400 000 cells: where `cellMetres` would make more, the cells grow. */
export function coverageGrid(
  floor: string,
  area: { left: number; top: number; right: number; bottom: number },
  cellMetres: number,
): CoverageGrid {
  const [width, height] = [Math.max(cellMetres, area.right - area.left), Math.max(cellMetres, area.bottom - area.top)];
  const cell = Math.max(cellMetres, Math.sqrt((width * height) / 400_000));
  return { floor, left: area.left, top: area.top, columns: Math.ceil(width / cell), rows: Math.ceil(height / cell), cellMetres: cell };
}

/** Who serves a usual node: how strongly it sends, its antenna and how high it hangs. */
export interface UsualNode {
  readonly powerDbm: number;
  readonly gainDbi: number;
  readonly heightMetres: number;
}

/**
 * Margin of the weaker direction in the middle of every cell, dB, row by row: of one station, or of the best of all that
 * serve anyone (access points and repeaters). `afterRow` is called with the part done; when it gives false the work ends
 * and `null` comes back.
 */
export function coverage(
  plan: Pick<SitePlan, 'materials' | 'model' | 'floors' | 'stations'>,
  parts: Pick<RadioParts, 'antenna'>,
  grid: CoverageGrid,
  usual: UsualNode,
  station: string | null,
  afterRow: (done: number) => boolean = () => true,
): Float32Array | null {
  const building = Building.of(plan);
  const level = building.levelOf(grid.floor);
  const { radiatedLimitDbm, planningFloorDbm } = plan.model;
  const nodeRadiatedDbm = Math.min(radiatedLimitDbm, usual.powerDbm + usual.gainDbi);
  const servers = plan.stations
    .filter((one) => (station === null ? one.kind !== 'gateway' : one.id === station))
    .map((one) => {
      const antenna = parts.antenna(one.antenna);
      const stationLevel = building.levelOf(one.floor);
      const allowed = Math.min(radiatedLimitDbm, one.powerDbm + antenna.gainDbi - one.cableDb);
      return {
        at: one,
        antenna,
        level: stationLevel,
        // Levels are these less the loss and, for a directional antenna, less what is lost off its axis.
        down: allowed + usual.gainDbi,
        up: nodeRadiatedDbm + antenna.gainDbi - one.cableDb,
        slabsDb: building.slabsDb(stationLevel, level),
        rise:
          (building.levels[level]?.elevationMetres ?? 0) +
          usual.heightMetres -
          (building.levels[stationLevel]?.elevationMetres ?? 0) -
          one.heightMetres,
        oneMetreDb: building.openLossDb(1, stationMegahertz(one.channel)),
      };
    });
  const perDecade = 10 * plan.model.exponent;
  const margins = new Float32Array(grid.columns * grid.rows).fill(-200);
  const cell: { -readonly [K in keyof Place]: Place[K] } = { floor: grid.floor, x: 0, y: 0, heightMetres: usual.heightMetres };
  for (let row = 0; row < grid.rows; row++) {
    cell.y = grid.top + (row + 0.5) * grid.cellMetres;
    for (let column = 0; column < grid.columns; column++) {
      cell.x = grid.left + (column + 0.5) * grid.cellMetres;
      let best = -200;
      for (const server of servers) {
        const dx = cell.x - server.at.x;
        const dy = cell.y - server.at.y;
        const metres = Math.sqrt(dx * dx + dy * dy + server.rise * server.rise);
        const open =
          Math.min(server.down, server.up) -
          planningFloorDbm -
          server.oneMetreDb -
          server.slabsDb -
          (metres > 1 ? perDecade * Math.log10(metres) : 0);
        // Walls can only take away: a server that is weaker without them needs no walk through them.
        if (open <= best) continue;
        const offAxis =
          server.antenna.beamDegrees >= 360
            ? 0
            : server.antenna.gainDbi - gainTowards(server.antenna, bearingDegrees(server.at, cell) - server.at.aimDegrees);
        const margin = open - offAxis - building.wallsDb(server.at, cell, server.level, level);
        if (margin > best) best = margin;
      }
      margins[row * grid.columns + column] = best;
    }
    if (!afterRow((row + 1) / grid.rows)) return null;
  }
  return margins;
}
