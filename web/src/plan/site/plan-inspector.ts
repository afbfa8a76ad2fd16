import type { AntennaProfile } from '@dewpost/core/circuit';
import type { Floor, Opening, PlacedNode, PlanRoom, SitePlan, Station, Wall, Zone } from '@dewpost/core/site-plan';
import { areaSquareMetres } from '@dewpost/core/site-plan';
import { formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { Held } from './plan-desk';

const CHANNELS = Array.from({ length: 13 }, (_, i) => i + 1);

/** What is in hand, with its figures to change. */
@Component({
  selector: 'dp-plan-inspector',
  imports: [FormsModule],
  templateUrl: './plan-inspector.html',
  styleUrl: './plan-inspector.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PlanInspector {
  readonly plan = input.required<SitePlan>();
  readonly floor = input.required<Floor>();
  readonly held = input.required<Held>();
  readonly antennas = input<readonly AntennaProfile[]>([]);
  readonly readOnly = input(false);
  readonly changed = output<SitePlan>();
  readonly removed = output<void>();
  protected readonly channels = CHANNELS;

  protected readonly node = computed(
    () => this.plan().nodes.find((one) => this.held().kind === 'node' && one.node === this.held().id) ?? null,
  );
  protected readonly station = computed(
    () => this.plan().stations.find((one) => this.held().kind === 'station' && one.id === this.held().id) ?? null,
  );
  protected readonly wall = computed(
    () => this.floor().walls.find((one) => this.held().kind === 'wall' && one.id === this.held().id) ?? null,
  );
  protected readonly opening = computed(
    () => this.floor().openings.find((one) => this.held().kind === 'opening' && one.id === this.held().id) ?? null,
  );
  protected readonly room = computed(
    () => this.floor().rooms.find((one) => this.held().kind === 'room' && one.id === this.held().id) ?? null,
  );
  protected readonly zone = computed(
    () => this.floor().zones.find((one) => this.held().kind === 'zone' && one.id === this.held().id) ?? null,
  );
  protected readonly wallLength = computed(() => {
    const wall = this.wall();
    return wall ? formatNumber(Math.hypot(wall.to[0] - wall.from[0], wall.to[1] - wall.from[1]), 2) : '';
  });
  protected readonly area = computed(() => formatNumber(areaSquareMetres(this.room()?.outline ?? []), 1));

  protected setNode(part: Partial<PlacedNode>): void {
    const id = this.held().id;
    this.changed.emit({ ...this.plan(), nodes: this.plan().nodes.map((one) => (one.node === id ? { ...one, ...part } : one)) });
  }
  protected fitAntenna(id: string): void {
    this.setNode({ antenna: id, cableDb: this.antennas().find((one) => one.id === id)?.cableDb ?? 0 });
  }
  protected setStation(part: Partial<Station>): void {
    const id = this.held().id;
    this.changed.emit({ ...this.plan(), stations: this.plan().stations.map((one) => (one.id === id ? { ...one, ...part } : one)) });
  }
  protected setWall(part: Partial<Wall>): void {
    this.setFloor((floor) => ({ ...floor, walls: floor.walls.map((one) => (one.id === this.held().id ? { ...one, ...part } : one)) }));
  }
  protected setOpening(part: Partial<Opening>): void {
    this.setFloor((floor) => ({
      ...floor,
      openings: floor.openings.map((one) => (one.id === this.held().id ? { ...one, ...part } : one)),
    }));
  }
  protected setRoom(part: Partial<PlanRoom>): void {
    this.setFloor((floor) => ({ ...floor, rooms: floor.rooms.map((one) => (one.id === this.held().id ? { ...one, ...part } : one)) }));
  }
  protected setZone(part: Partial<Zone>): void {
    this.setFloor((floor) => ({ ...floor, zones: floor.zones.map((one) => (one.id === this.held().id ? { ...one, ...part } : one)) }));
  }
  protected readonly heightOfNode = (heightMetres: number): void => this.setNode({ heightMetres });
  protected readonly cableOfNode = (cableDb: number): void => this.setNode({ cableDb });
  protected readonly heightOfStation = (heightMetres: number): void => this.setStation({ heightMetres });
  protected readonly cableOfStation = (cableDb: number): void => this.setStation({ cableDb });
  protected readonly power = (powerDbm: number): void => this.setStation({ powerDbm });
  protected readonly aim = (aimDegrees: number): void => this.setStation({ aimDegrees });
  protected readonly thick = (thicknessMillimetres: number): void => this.setWall({ thicknessMillimetres });
  protected readonly width = (widthMetres: number): void => this.setOpening({ widthMetres });
  /** A number that was typed, held within its bounds; `null` (nothing typed yet) changes nothing. */
  protected typed(value: number | null, low: number, high: number, set: (value: number) => void): void {
    if (value !== null && Number.isFinite(value)) set(Math.max(low, Math.min(high, value)));
  }

  private setFloor(change: (floor: Floor) => Floor): void {
    const id = this.floor().id;
    this.changed.emit({ ...this.plan(), floors: this.plan().floors.map((one) => (one.id === id ? change(one) : one)) });
  }
}
