import { freeId, metresBetween, nearestOnLine, snap, type Floor, type Spot, type Station } from '@dewpost/core/site-plan';
import { signal } from '@angular/core';
import { tidy, type PlanDesk } from './plan-desk';
import { dragged, GRID, gripOf, onGrid, type Drag, type Press } from './plan-drag';

export type Tool = 'select' | 'wall' | 'room' | 'opening' | 'access point' | 'gateway' | 'node' | 'zone' | 'measure' | 'scale';

/** What is being drawn: its spots so far, and where the pointer stands. */
export interface Draft {
  readonly spots: readonly Spot[];
  readonly hover: Spot | null;
}

const EMPTY: Draft = { spots: [], hover: null };

/** The tools of the drawing: what a press, a move and a release do with each. */
export class PlanTools {
  readonly tool = signal<Tool>('select');
  readonly draft = signal<Draft>(EMPTY);
  /** What a new wall is made of, and which node is placed next. */
  readonly material = signal('brick');
  readonly thickness = signal(150);
  readonly nodeToPlace = signal('');
  readonly zoneNode = signal('');
  /** The last measured distance, m, and the two spots whose distance is to be typed. */
  readonly measured = signal<number | null>(null);
  readonly scaleSpots = signal<readonly [Spot, Spot] | null>(null);
  private drag: Drag | null = null;

  constructor(private readonly desk: PlanDesk) {}

  take(tool: Tool): void {
    this.tool.set(tool);
    this.draft.set(EMPTY);
    this.measured.set(null);
    this.scaleSpots.set(null);
  }

  /** Gives up what is being drawn; where nothing is, goes back to selecting. */
  escape(): void {
    if (this.draft().spots.length > 0) this.draft.set(EMPTY);
    else if (this.tool() !== 'select') this.take('select');
    else this.desk.held.set(null);
  }

  /** Says whether the press is about the view and not about the plan: then it may be moved. */
  press(press: Press): boolean {
    const floor = this.desk.floor();
    if (!floor) return true;
    switch (this.tool()) {
      case 'select':
        return this.select(press, floor);
      case 'wall':
        this.wall(this.at(press, floor), press);
        return false;
      case 'room':
        this.room(this.at(press, floor), press);
        return false;
      case 'opening':
        this.opening(press, floor);
        return false;
      case 'access point':
      case 'gateway':
        this.station(onGrid(press), floor, this.tool() as 'access point' | 'gateway');
        return false;
      case 'node':
        this.node(onGrid(press), floor);
        return false;
      case 'zone':
        this.draft.set({ spots: [onGrid(press)], hover: null });
        return false;
      case 'measure':
      case 'scale':
        this.twoSpots(press.spot);
        return false;
    }
  }

  move(press: Press): void {
    const floor = this.desk.floor();
    if (!floor) return;
    if (this.drag) this.desk.drag(dragged(this.drag, press, floor));
    else if (this.tool() === 'wall' || this.tool() === 'room') this.draft.update((draft) => ({ ...draft, hover: this.at(press, floor) }));
    else if (this.tool() === 'zone') this.draft.update((draft) => (draft.spots.length === 1 ? { ...draft, hover: onGrid(press) } : draft));
    else if (this.tool() === 'measure' || this.tool() === 'scale') this.draft.update((draft) => ({ ...draft, hover: press.spot }));
  }

  release(): void {
    if (this.drag) {
      this.drag = null;
      this.desk.drop();
    }
    const { spots, hover } = this.draft();
    const [a] = spots;
    if (this.tool() === 'zone' && a && hover) this.zone(a, hover);
  }

  /** Ends a room at the corners it has. */
  finishRoom(): void {
    const { spots } = this.draft();
    this.draft.set(EMPTY);
    if (spots.length < 3) return;
    let id = '';
    this.desk.changeFloor((floor) => {
      id = freeId(
        floor.rooms.map((room) => room.id),
        'room',
      );
      return {
        ...floor,
        rooms: [...floor.rooms, { id, name: `Room ${floor.rooms.length + 1}`, outline: spots.map(([x, y]) => [tidy(x), tidy(y)]) }],
      };
    });
    this.hold('room', id);
  }

  private select({ spot, on, reach }: Press, floor: Floor): boolean {
    this.desk.held.set(on);
    const plan = this.desk.plan();
    if (!on || !plan) return true;
    const end = gripOf(on, spot, reach, floor);
    if (on.kind === 'room' && end === null) return true;
    this.drag = { held: on, from: spot, plan, end };
    this.desk.lift();
    return false;
  }

  private wall(spot: Spot, { reach }: Press): void {
    const { spots } = this.draft();
    const last = spots.at(-1);
    if (!last) {
      this.draft.set({ spots: [spot], hover: spot });
      return;
    }
    // A press where the line already ends finishes it.
    if (metresBetween(last, spot) < reach / 2) {
      this.draft.set(EMPTY);
      return;
    }
    this.desk.changeFloor((floor) => ({
      ...floor,
      walls: [
        ...floor.walls,
        {
          id: freeId(
            floor.walls.map((wall) => wall.id),
            'wall',
          ),
          material: this.material(),
          from: [tidy(last[0]), tidy(last[1])],
          to: [tidy(spot[0]), tidy(spot[1])],
          thicknessMillimetres: this.thickness(),
        },
      ],
    }));
    const [first] = spots;
    this.draft.set(first && metresBetween(first, spot) < 0.01 ? EMPTY : { spots: [...spots, spot], hover: spot });
  }

  private room(spot: Spot, { reach }: Press): void {
    const { spots } = this.draft();
    const [first] = spots;
    if (first && spots.length >= 3 && metresBetween(first, spot) < reach) this.finishRoom();
    else this.draft.set({ spots: [...spots, spot], hover: spot });
  }

  private opening({ spot, reach }: Press, floor: Floor): void {
    let best: { wall: Floor['walls'][number]; along: number; metres: number } | null = null;
    for (const wall of floor.walls) {
      const near = nearestOnLine(wall.from, wall.to, spot);
      if (near.metres < reach * 1.5 && (!best || near.metres < best.metres)) best = { wall, ...near };
    }
    if (!best) return;
    const { wall, along } = best;
    const length = metresBetween(wall.from, wall.to);
    const widthMetres = Math.min(0.9, length);
    const id = freeId(
      floor.openings.map((one) => one.id),
      'opening',
    );
    const atMetres = tidy(Math.max(0, Math.min(length - widthMetres, along * length - widthMetres / 2)));
    this.desk.changeFloor((one) => ({
      ...one,
      openings: [...one.openings, { id, wall: wall.id, atMetres, widthMetres, material: 'timber' }],
    }));
    this.hold('opening', id);
  }

  private station(spot: Spot, floor: Floor, kind: Station['kind']): void {
    const plan = this.desk.plan();
    if (!plan) return;
    const id = freeId(
      plan.stations.map((one) => one.id),
      kind === 'gateway' ? 'gateway' : 'ap',
    );
    const number = plan.stations.filter((one) => one.kind === kind).length + 1;
    const name = `${kind === 'gateway' ? 'Gateway' : 'Access point'}${number > 1 ? ` ${number}` : ''}`;
    const station: Station = {
      id,
      name,
      kind,
      floor: floor.id,
      x: tidy(spot[0]),
      y: tidy(spot[1]),
      heightMetres: 2.2,
      // Channels that do not overlap, one after another: common practice.
      channel: [1, 6, 11][plan.stations.length % 3] ?? 1,
      powerDbm: 17,
      antenna: 'antenna-whip',
      cableDb: 0,
      aimDegrees: 0,
    };
    this.desk.change({ ...plan, stations: [...plan.stations, station] });
    this.desk.held.set({ kind: 'station', id });
    this.take('select');
  }

  private node(spot: Spot, floor: Floor): void {
    const plan = this.desk.plan();
    const node = this.nodeToPlace();
    if (!plan || node === '' || plan.nodes.some((one) => one.node === node)) return;
    this.desk.change({
      ...plan,
      nodes: [
        ...plan.nodes,
        { node, floor: floor.id, x: tidy(spot[0]), y: tidy(spot[1]), heightMetres: 1.5, antenna: 'antenna-board', cableDb: 0, via: null },
      ],
    });
    this.desk.held.set({ kind: 'node', id: node });
    this.nodeToPlace.set('');
  }

  private zone(a: Spot, b: Spot): void {
    this.draft.set(EMPTY);
    const [width, depth] = [Math.abs(b[0] - a[0]), Math.abs(b[1] - a[1])];
    if (width < 0.25 || depth < 0.25 || this.zoneNode() === '') return;
    let id = '';
    this.desk.changeFloor((floor) => {
      id = freeId(
        floor.zones.map((one) => one.id),
        'zone',
      );
      const zone = {
        id,
        node: this.zoneNode(),
        name: `Zone ${floor.zones.length + 1}`,
        x: tidy(Math.min(a[0], b[0])),
        y: tidy(Math.min(a[1], b[1])),
        widthMetres: tidy(width),
        depthMetres: tidy(depth),
      };
      return { ...floor, zones: [...floor.zones, zone] };
    });
    this.hold('zone', id);
    this.take('select');
  }

  private twoSpots(spot: Spot): void {
    const { spots } = this.draft();
    const [first] = spots;
    if (spots.length !== 1 || !first) {
      this.draft.set({ spots: [spot], hover: spot });
      this.measured.set(null);
      this.scaleSpots.set(null);
      return;
    }
    this.draft.set({ spots: [first, spot], hover: spot });
    if (this.tool() === 'measure') this.measured.set(metresBetween(first, spot));
    else this.scaleSpots.set([first, spot]);
  }

  private at(press: Press, floor: Floor): Spot {
    if (press.free) return press.spot;
    const { spots } = this.draft();
    const drawn = this.tool() === 'room' && spots[0] ? [{ from: spots[0], to: spots[0] }] : [];
    return snap(press.spot, [...floor.walls, ...drawn], press.reach, GRID, spots.at(-1) ?? null);
  }

  private hold(kind: 'room' | 'opening' | 'zone', id: string): void {
    const floor = this.desk.floor();
    if (floor && id !== '') this.desk.held.set({ kind, id, floor: floor.id });
  }
}
