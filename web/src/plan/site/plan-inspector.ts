import type { AntennaProfile } from '@dewpost/core/circuit';
import type { Floor, Opening, PlacedNode, PlanRoom, SitePlan, Station, Wall, Zone } from '@dewpost/core/site-plan';
import { areaSquareMetres } from '@dewpost/core/site-plan';
import { formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { ChoiceField, type Choice } from '../../parts/choice-field';
import { TextField, ValueField } from '../../parts/value-field';
import type { Held } from './plan-desk';

const CHANNELS = Array.from({ length: 13 }, (_, i): Choice<number> => ({ value: i + 1, words: String(i + 1) }));

/** What is in hand, with its figures to change. */
@Component({
  selector: 'dp-plan-inspector',
  imports: [ChoiceField, MatButton, TextField, ValueField],
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
  protected readonly title = computed(() => {
    const [node, station, wall, room, zone] = [this.node(), this.station(), this.wall(), this.room(), this.zone()];
    if (node) return node.node;
    if (station) return station.kind;
    if (wall) return `wall, ${formatNumber(Math.hypot(wall.to[0] - wall.from[0], wall.to[1] - wall.from[1]), 2)} m`;
    if (room) return `room, ${formatNumber(areaSquareMetres(room.outline), 1)} m²`;
    return zone ? `zone of ${zone.node}` : 'door or window';
  });
  protected readonly antennaChoices = computed(() => this.antennas().map(({ id, name }): Choice<string> => ({ value: id, words: name })));
  protected readonly stationChoices = computed((): Choice<string | null>[] => [
    { value: null, words: 'the strongest' },
    ...this.plan().stations.map(({ id, name }) => ({ value: id, words: name })),
  ]);
  protected readonly materialChoices = computed(() =>
    this.plan().materials.map(({ id, name, lossDb }): Choice<string> => ({ value: id, words: `${name}, ${lossDb} dB` })),
  );
  protected readonly closingChoices = computed((): Choice<string | null>[] => [
    { value: null, words: 'nothing' },
    ...this.materialChoices(),
  ]);

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
  private setFloor(change: (floor: Floor) => Floor): void {
    const id = this.floor().id;
    this.changed.emit({ ...this.plan(), floors: this.plan().floors.map((one) => (one.id === id ? change(one) : one)) });
  }
}
