import type { CoverageGrid, PlanLink } from '@dewpost/core/radio';
import { middleOf, type Floor, type SitePlan, type Spot } from '@dewpost/core/site-plan';
import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, output, signal, viewChild } from '@angular/core';
import { STATE_SHAPES, type StateMark } from '../../parts/state-glyph';
import type { MarginLine } from './plan-jobs';
import { placeLabels, type Box } from './labels';
import type { Held } from './plan-desk';
import type { Press } from './plan-drag';
import type { Draft } from './plan-tools';
import { wallStrokes } from './wall-strokes';
import { type View, soundingFigures, staffTicks, draftShape } from './chart-figures';

export const MARGIN_WORDS = [
  { name: 'ample', says: 'ample, 20 dB up', wash: 'w1' },
  { name: 'sound', says: 'sound, 10 to 20', wash: 'w2' },
  { name: 'thin', says: 'thin, 0 to 10', wash: 'w3' },
  { name: 'short', says: 'short', wash: 'w4' },
] as const;

/** Tower marks, 14 × 18 about their middle: access point, repeater (outlined) and gateway (on a plinth). */
const TOWER = 'M-4 8-2.4-3H2.4L4 8ZM-3.4-4.2H3.4V-7H-3.4ZM-2.2-7.6H2.2L0-10Z';
const PLINTH = 'M-7 8H7V11H-7Z';

/** One floor as a chart: washes and soundings of the radio margin, walls, rooms, stations and nodes. It draws and tells where it is pressed; the page decides. */
@Component({
  selector: 'dp-plan-drawing',
  templateUrl: './plan-drawing.html',
  styleUrl: './plan-drawing.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PlanDrawing {
  readonly plan = input.required<SitePlan>();
  readonly floor = input.required<Floor>();
  readonly view = input.required<View>();
  readonly held = input<Held | null>(null);
  readonly links = input<ReadonlyMap<string, PlanLink>>(new Map());
  readonly states = input<ReadonlyMap<string, StateMark>>(new Map());
  readonly lines = input<readonly MarginLine[]>([]);
  readonly soundings = input<{ grid: CoverageGrid; margins: Float32Array } | null>(null);
  readonly draft = input<Draft>({ spots: [], hover: null });
  readonly tool = input<string>('select');
  readonly busy = input(false);
  readonly label = input('Site plan');
  readonly pressed = output<Press>();
  readonly movedTo = output<Press>();
  readonly released = output<void>();
  /** Points the view should move by. */
  readonly panned = output<Spot>();
  readonly zoomed = output<{ factor: number; at: Spot }>();
  readonly sized = output<{ width: number; height: number }>();
  readonly nudged = output<Spot>();
  readonly entered = output<Spot>();
  readonly chosen = output<Held>();

  readonly svg = viewChild.required<ElementRef<SVGSVGElement>>('svg');
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  protected readonly size = signal({ width: 560, height: 480 });
  private panning: { x: number; y: number } | null = null;
  protected readonly words = MARGIN_WORDS;
  protected readonly tower = TOWER;
  protected readonly plinth = PLINTH;

  constructor() {
    if (typeof ResizeObserver === 'undefined') return;
    new ResizeObserver(([entry]) => {
      if (!entry) return;
      const { width, height } = entry.contentRect;
      if (width < 40 || height < 40) return;
      this.size.set({ width, height });
      this.sized.emit({ width, height });
    }).observe(this.host.nativeElement);
  }

  protected x(metres: number): number {
    return (metres - this.view().left) * this.view().scale;
  }
  protected y(metres: number): number {
    return (metres - this.view().top) * this.view().scale;
  }
  protected readonly shift = computed(() => {
    const { left, top, scale } = this.view();
    return `scale(${scale}) translate(${-left} ${-top})`;
  });

  protected readonly walls = computed(() =>
    this.floor().walls.map((wall) => {
      const pattern = this.plan().materials.find((material) => material.id === wall.material)?.pattern ?? 'plain';
      const width = Math.max(3.5, Math.min(14, (wall.thicknessMillimetres / 1000) * this.view().scale));
      return {
        wall,
        d: `M${this.x(wall.from[0])} ${this.y(wall.from[1])}L${this.x(wall.to[0])} ${this.y(wall.to[1])}`,
        width,
        strokes: wallStrokes(pattern, width),
        held: this.isHeld('wall', wall.id),
      };
    }),
  );
  protected readonly openings = computed(() =>
    this.floor().openings.flatMap((opening) => {
      const wall = this.walls().find(({ wall: one }) => one.id === opening.wall);
      if (!wall) return [];
      const { from, to } = wall.wall;
      const length = Math.hypot(to[0] - from[0], to[1] - from[1]);
      const spot = (metres: number): string => {
        const part = Math.min(1, metres / length);
        return `${this.x(from[0] + part * (to[0] - from[0]))} ${this.y(from[1] + part * (to[1] - from[1]))}`;
      };
      return [
        {
          opening,
          d: `M${spot(opening.atMetres)}L${spot(opening.atMetres + opening.widthMetres)}`,
          width: wall.width + 1,
          closed: opening.material !== null,
          held: this.isHeld('opening', opening.id),
        },
      ];
    }),
  );
  protected readonly rooms = computed(() =>
    this.floor().rooms.map((room) => {
      const [x, y] = middleOf(room.outline);
      return {
        room,
        points: room.outline.map(([cx, cy]) => `${this.x(cx)},${this.y(cy)}`).join(' '),
        corners: room.outline.map(([cx, cy]) => ({ x: this.x(cx), y: this.y(cy) })),
        x: this.x(x),
        y: this.y(y),
        held: this.isHeld('room', room.id),
      };
    }),
  );
  protected readonly zones = computed(() =>
    this.floor().zones.map((zone) => ({
      zone,
      x: this.x(zone.x),
      y: this.y(zone.y),
      width: zone.widthMetres * this.view().scale,
      height: zone.depthMetres * this.view().scale,
      held: this.isHeld('zone', zone.id),
    })),
  );
  protected readonly picture = computed(() => {
    const { picture } = this.floor();
    if (!picture) return null;
    return {
      href: `/api/v1/site-plan/pictures/${picture.id}`,
      x: this.x(picture.x),
      y: this.y(picture.y),
      width: picture.widthPixels * picture.metresPerPixel * this.view().scale,
      height: picture.heightPixels * picture.metresPerPixel * this.view().scale,
    };
  });
  private readonly marks = computed(() => {
    const here = <T extends { floor: string }>(one: T): boolean => one.floor === this.floor().id;
    return [
      ...this.plan()
        .stations.filter(here)
        .map((station) => ({
          kind: 'station' as const,
          id: station.id,
          name: station.name,
          x: this.x(station.x),
          y: this.y(station.y),
          station,
        })),
      ...this.plan()
        .nodes.filter(here)
        .map((node) => ({ kind: 'node' as const, id: node.node, name: node.node, x: this.x(node.x), y: this.y(node.y), station: null })),
    ];
  });
  private readonly roomBoxes = computed((): Box[] =>
    this.rooms().map(({ room, x, y }) => ({ x: x - room.name.length * 3.2, y: y - 8, width: room.name.length * 6.4, height: 14 })),
  );
  private readonly labelBoxes = computed(() =>
    placeLabels(
      this.marks().map(({ x, y, name }) => ({ x, y, width: name.length * 6.1 + 4 })),
      this.roomBoxes(),
    ),
  );
  protected readonly items = computed(() =>
    this.marks().map((mark, i) => {
      const box = this.labelBoxes()[i];
      const state = this.states().get(mark.id) ?? 'planned';
      const link = this.links().get(mark.id);
      const says = mark.station
        ? `${mark.station.kind} ${mark.name}, channel ${mark.station.channel}`
        : `node ${mark.name}, ${state}${link ? `, margin ${Math.round(link.marginDb)} dB, ${link.class}` : ', no link'}`;
      return {
        ...mark,
        box: box ?? { x: mark.x, y: mark.y, width: 0, height: 0 },
        shapes: STATE_SHAPES[state],
        held: this.isHeld(mark.kind, mark.id),
        short: mark.kind === 'node' && (!link || link.class === 'short'),
        says,
      };
    }),
  );
  /** The line of the node in hand to its station, where both are on this floor. */
  protected readonly beam = computed(() => {
    const held = this.held();
    if (held?.kind !== 'node') return null;
    const link = this.links().get(held.id);
    const node = this.plan().nodes.find((one) => one.node === held.id);
    if (!link || !node || node.floor !== this.floor().id || link.station.floor !== this.floor().id) return null;
    return { d: `M${this.x(node.x)} ${this.y(node.y)}L${this.x(link.station.x)} ${this.y(link.station.y)}`, short: link.class === 'short' };
  });
  protected readonly figures = computed(() => {
    const found = this.soundings();
    if (!found) return [];
    const marks = this.marks().map(({ x, y }) => ({ x: x - 8, y: y - 8, width: 16, height: 16 }));
    return soundingFigures(found, this.view(), this.size(), [...this.labelBoxes(), ...this.roomBoxes(), ...marks]);
  });
  protected readonly staff = computed(() => staffTicks(this.view(), this.size()));
  protected readonly drawn = computed(() => draftShape(this.draft(), this.tool() === 'zone', this.view()));

  protected down(event: PointerEvent): void {
    if (event.button > 1) return;
    this.svg().nativeElement.setPointerCapture(event.pointerId);
    this.panning = { x: event.clientX, y: event.clientY };
    if (event.button === 1) return;
    this.pressed.emit(this.pressOf(event));
  }
  protected hover(event: PointerEvent): void {
    if (this.panning && this.mayPan) {
      this.panned.emit([event.clientX - this.panning.x, event.clientY - this.panning.y]);
      this.panning = { x: event.clientX, y: event.clientY };
      return;
    }
    this.movedTo.emit(this.pressOf(event));
  }
  protected up(): void {
    this.panning = null;
    this.mayPan = false;
    this.released.emit();
  }
  /** Set by the page when a press was about the view. */
  mayPan = false;

  protected wheel(event: WheelEvent): void {
    event.preventDefault();
    this.zoomed.emit({ factor: Math.exp(-event.deltaY * 0.0015), at: this.pointOf(event) });
  }
  protected key(event: KeyboardEvent): void {
    const step = event.shiftKey ? 1 : 0.25;
    const by: Record<string, Spot> = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] };
    const found = by[event.key];
    if (found) {
      event.preventDefault();
      this.nudged.emit(found);
    } else if (event.key === 'Enter') {
      event.preventDefault();
      const target = (event.target as Element).closest<SVGElement>('[data-kind]');
      const on = target ? heldOf(target, this.floor().id) : null;
      if (on) this.chosen.emit(on);
      else
        this.entered.emit([
          this.view().left + this.size().width / 2 / this.view().scale,
          this.view().top + this.size().height / 2 / this.view().scale,
        ]);
    }
  }

  private isHeld(kind: Held['kind'], id: string): boolean {
    const held = this.held();
    return held?.kind === kind && held.id === id;
  }
  private pointOf(event: MouseEvent): Spot {
    const { left, top } = this.svg().nativeElement.getBoundingClientRect();
    return [event.clientX - left, event.clientY - top];
  }
  private pressOf(event: PointerEvent): Press {
    const [px, py] = this.pointOf(event);
    const { left, top, scale } = this.view();
    // Where the pointer is captured its target is the drawing: what lies under it is asked anew.
    const under = (document.elementFromPoint(event.clientX, event.clientY) as Element | null)?.closest<SVGElement>('[data-kind]') ?? null;
    return {
      spot: [left + px / scale, top + py / scale],
      on: under ? heldOf(under, this.floor().id) : null,
      reach: 10 / scale,
      free: event.altKey,
    };
  }
}

function heldOf(element: Element, floor: string): Held | null {
  const kind = element.getAttribute('data-kind') as Held['kind'] | null;
  const id = element.getAttribute('data-id');
  if (!kind || !id) return null;
  return kind === 'node' || kind === 'station' ? { kind, id } : { kind, id, floor };
}
