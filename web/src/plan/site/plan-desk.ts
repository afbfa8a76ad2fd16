import { sitePlanSchema, type Floor, type PlacedNode, type SitePlan, type Spot, type Station } from '@dewpost/core/site-plan';
import { computed, signal } from '@angular/core';
import { SITE_PLAN_DRAFT } from '../../parts/drafts';

/** What is in hand on the drawing. */
export type Held =
  | { kind: 'node'; id: string }
  | { kind: 'station'; id: string }
  | { kind: 'wall' | 'opening' | 'room' | 'zone'; id: string; floor: string };

const STEPS_MOST = 200;

/** The plan being drawn: every change can be taken back, and what is not saved survives a reload. */
export class PlanDesk {
  private readonly done = signal<readonly SitePlan[]>([]);
  private readonly undone = signal<readonly SitePlan[]>([]);
  private readonly current = signal<SitePlan | null>(null);
  /** While something is dragged: the plan as it was before. */
  private before: SitePlan | null = null;
  /** The version it is drawn on. */
  readonly base = signal(0);
  private readonly saved = signal<SitePlan | null>(null);
  readonly held = signal<Held | null>(null);
  readonly floorId = signal('ground');

  readonly plan = computed(() => this.current());
  readonly floor = computed((): Floor | null => {
    const floors = this.current()?.floors ?? [];
    return floors.find((floor) => floor.id === this.floorId()) ?? floors[0] ?? null;
  });
  readonly canUndo = computed(() => this.done().length > 0);
  readonly canRedo = computed(() => this.undone().length > 0);
  readonly changed = computed(() => this.current() !== this.saved());

  constructor(private readonly keep: Pick<Storage, 'getItem' | 'setItem' | 'removeItem'> = localStorage) {}

  /** Takes up the server's plan; a drawing kept on this very version is taken up instead. Says whether it was. */
  load(version: number, plan: SitePlan): boolean {
    this.base.set(version);
    this.saved.set(plan);
    this.current.set(plan);
    this.done.set([]);
    this.undone.set([]);
    const kept = readKept(this.keep.getItem(SITE_PLAN_DRAFT));
    if (kept?.base === version) this.current.set(kept.plan);
    if (this.floor()?.id !== this.floorId()) this.floorId.set(plan.floors[0]?.id ?? 'ground');
    return kept?.base === version;
  }

  /** A change that can be taken back. */
  change(next: SitePlan): void {
    const now = this.current();
    if (now === null || next === now) return;
    this.done.update((before) => [...before, now].slice(-STEPS_MOST));
    this.undone.set([]);
    this.put(next);
  }

  changeFloor(change: (floor: Floor) => Floor): void {
    const [plan, floor] = [this.current(), this.floor()];
    if (!plan || !floor) return;
    this.change({ ...plan, floors: plan.floors.map((one) => (one.id === floor.id ? change(one) : one)) });
  }

  changeNode(id: string, part: Partial<PlacedNode>): void {
    this.edit((plan) => ({ ...plan, nodes: plan.nodes.map((one) => (one.node === id ? { ...one, ...part } : one)) }));
  }

  changeStation(id: string, part: Partial<Station>): void {
    this.edit((plan) => ({ ...plan, stations: plan.stations.map((one) => (one.id === id ? { ...one, ...part } : one)) }));
  }

  edit(change: (plan: SitePlan) => SitePlan): void {
    const plan = this.current();
    if (plan) this.change(change(plan));
  }

  /** Begins a drag: what follows by `drag` is one step when it is `drop`ped. */
  lift(): void {
    this.before = this.current();
  }
  drag(next: SitePlan): void {
    if (this.before) this.current.set(next);
  }
  drop(): void {
    const [before, now] = [this.before, this.current()];
    this.before = null;
    if (!before || !now || before === now) return;
    this.current.set(before);
    this.change(now);
  }

  undo(): void {
    this.step(this.done, this.undone);
  }
  redo(): void {
    this.step(this.undone, this.done);
  }

  /** The plan was saved as this version. */
  wasSaved(version: number, plan: SitePlan): void {
    this.base.set(version);
    this.saved.set(plan);
    this.current.set(plan);
    this.keep.removeItem(SITE_PLAN_DRAFT);
  }

  /** Lets everything go that was not saved. */
  forget(): void {
    const saved = this.saved();
    if (saved) this.change(saved);
    this.keep.removeItem(SITE_PLAN_DRAFT);
  }

  /** Takes off what is in hand: a wall goes with its openings, a node is only taken off the plan. */
  remove(): void {
    const held = this.held();
    if (!held) return;
    this.held.set(null);
    if (held.kind === 'node') this.edit((plan) => ({ ...plan, nodes: plan.nodes.filter((one) => one.node !== held.id) }));
    else if (held.kind === 'station')
      this.edit((plan) => ({
        ...plan,
        stations: plan.stations.filter((one) => one.id !== held.id),
        nodes: plan.nodes.map((one) => (one.via === held.id ? { ...one, via: null } : one)),
        samples: plan.samples.filter((sample) => sample.station !== held.id),
      }));
    else
      this.changeFloor((floor) => ({
        ...floor,
        walls: held.kind === 'wall' ? floor.walls.filter((one) => one.id !== held.id) : floor.walls,
        openings: floor.openings.filter((one) =>
          held.kind === 'wall' ? one.wall !== held.id : held.kind !== 'opening' || one.id !== held.id,
        ),
        rooms: held.kind === 'room' ? floor.rooms.filter((one) => one.id !== held.id) : floor.rooms,
        zones: held.kind === 'zone' ? floor.zones.filter((one) => one.id !== held.id) : floor.zones,
      }));
  }

  private step(from: typeof this.done, to: typeof this.done): void {
    const [now, last] = [this.current(), from().at(-1)];
    if (!now || !last) return;
    from.update((list) => list.slice(0, -1));
    to.update((list) => [...list, now]);
    this.put(last);
  }

  private put(plan: SitePlan): void {
    this.current.set(plan);
    if (plan === this.saved()) this.keep.removeItem(SITE_PLAN_DRAFT);
    else this.keep.setItem(SITE_PLAN_DRAFT, JSON.stringify({ base: this.base(), plan }));
  }
}

/** What was kept, or `null` where it no longer fits. */
function readKept(text: string | null): { base: number; plan: SitePlan } | null {
  if (text === null) return null;
  try {
    const kept = JSON.parse(text) as { base?: unknown; plan?: unknown };
    const parsed = sitePlanSchema.safeParse(kept.plan);
    return typeof kept.base === 'number' && parsed.success ? { base: kept.base, plan: parsed.data } : null;
  } catch {
    return null;
  }
}

/** Moves what is in hand by a step, as the arrow keys do. */
export function moved(plan: SitePlan, held: Held, [dx, dy]: Spot): SitePlan {
  const shift = <T extends { x: number; y: number }>(one: T): T => ({ ...one, x: tidy(one.x + dx), y: tidy(one.y + dy) });
  if (held.kind === 'node') return { ...plan, nodes: plan.nodes.map((one) => (one.node === held.id ? shift(one) : one)) };
  if (held.kind === 'station') return { ...plan, stations: plan.stations.map((one) => (one.id === held.id ? shift(one) : one)) };
  const spot = ([x, y]: Spot): [number, number] => [tidy(x + dx), tidy(y + dy)];
  return {
    ...plan,
    floors: plan.floors.map((floor) =>
      floor.id !== held.floor
        ? floor
        : {
            ...floor,
            walls: floor.walls.map((wall) =>
              held.kind === 'wall' && wall.id === held.id ? { ...wall, from: spot(wall.from), to: spot(wall.to) } : wall,
            ),
            rooms: floor.rooms.map((room) =>
              held.kind === 'room' && room.id === held.id ? { ...room, outline: room.outline.map(spot) } : room,
            ),
            zones: floor.zones.map((zone) => (held.kind === 'zone' && zone.id === held.id ? shift(zone) : zone)),
            openings: floor.openings.map((opening) => {
              if (held.kind !== 'opening' || opening.id !== held.id) return opening;
              const wall = floor.walls.find((one) => one.id === opening.wall);
              if (!wall) return opening;
              const length = Math.hypot(wall.to[0] - wall.from[0], wall.to[1] - wall.from[1]);
              const along = (dx * (wall.to[0] - wall.from[0]) + dy * (wall.to[1] - wall.from[1])) / length;
              return { ...opening, atMetres: Math.max(0, Math.min(length - opening.widthMetres, tidy(opening.atMetres + along))) };
            }),
          },
    ),
  };
}

/** To a millimetre: drags leave no endless decimals in files. */
export const tidy = (metres: number): number => Math.round(metres * 1000) / 1000;
