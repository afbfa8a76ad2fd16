import { plan as planCalls, sitePlan } from '@dewpost/contract';
import { catalogueOf } from '@dewpost/core/circuit';
import { slug } from '@dewpost/core/naming';
import { formatNumber } from '@dewpost/core/quantity';
import { planLinks, predictedAgainst, type CoverageGrid, type ModelFit, type Remedy } from '@dewpost/core/radio';
import { copyFloor, extentOf, toGeoJson, type RadioModel, type SitePlan, type Spot } from '@dewpost/core/site-plan';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  inject,
  resource,
  signal,
  untracked,
  viewChild,
  type OnDestroy,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatMenuModule } from '@angular/material/menu';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import {
  DoorOpen,
  Footprints,
  MapPin,
  MousePointer2,
  RadioTower,
  Redo2,
  Ruler,
  Router,
  SquareDashed,
  Undo2,
  Vault,
  BrickWall,
} from 'lucide';
import { Api, messageOf } from '../../data/api';
import { allNodes, placeFeature } from '../../data/reducers';
import { Icon } from '../../parts/icon';
import { markOf } from '../../parts/state-glyph';
import { Selection } from '../../shell/selection';
import { profilesOf } from '../catalogue-reply';
import { PlanPages } from '../plan-pages';
import { LinkTable } from './link-table';
import { PlanDesk, moved } from './plan-desk';
import { MARGIN_WORDS, PlanDrawing, type View } from './plan-drawing';
import { download, planOfText, pngOf, svgText } from './plan-files';
import { PlanInspector } from './plan-inspector';
import type { MarginLine } from './plan-jobs';
import { partsOf } from './plan-jobs';
import { PlanRemedies } from './plan-remedies';
import { PlanTools, type Tool } from './plan-tools';
import { pictureOf } from './picture-file';
import { radioFacts, remedyMeans } from './radio-facts';
import { RadioModelPanel } from './radio-model';
import { WallSwatch } from './wall-swatch';
import { WorkerRun } from './worker-run';

const TOOLS: readonly { tool: Tool; says: string; icon: typeof Ruler }[] = [
  { tool: 'select', says: 'Select', icon: MousePointer2 },
  { tool: 'wall', says: 'Wall', icon: BrickWall },
  { tool: 'opening', says: 'Opening', icon: DoorOpen },
  { tool: 'room', says: 'Room', icon: Vault },
  { tool: 'access point', says: 'Access point', icon: RadioTower },
  { tool: 'gateway', says: 'Gateway', icon: Router },
  { tool: 'node', says: 'Node', icon: MapPin },
  { tool: 'zone', says: 'Zone', icon: SquareDashed },
  { tool: 'measure', says: 'Measure', icon: Ruler },
];
/** Cells of the coverage, m. */
const CELL = 0.25;
/** How far around what is drawn the coverage reaches, m. */
const AROUND = 6;

/** The site plan: floors, walls and rooms drawn or imported, stations and nodes placed, and every radio link worked out as they move. */
@Component({
  selector: 'dp-site-plan',
  imports: [
    FormsModule,
    Icon,
    LinkTable,
    MatMenuModule,
    PlanDrawing,
    PlanInspector,
    PlanPages,
    PlanRemedies,
    RadioModelPanel,
    RouterLink,
    WallSwatch,
  ],
  templateUrl: './site-plan.html',
  styleUrl: './site-plan.scss',
  host: { '(document:keydown)': 'shortcut($event)' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SitePlanPage implements OnDestroy {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly selection = inject(Selection);
  protected readonly icons = { Undo2, Redo2, Footprints };
  protected readonly tools = TOOLS;
  protected readonly marginWords = MARGIN_WORDS;
  protected readonly desk = new PlanDesk();
  protected readonly hand = new PlanTools(this.desk);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  private readonly nodes = this.store.selectSignal(allNodes.selectAll);
  protected readonly read = resource({ loader: () => this.api.call(sitePlan.read, {}) });
  private readonly profiles = resource({ loader: () => this.api.call(planCalls.catalogue, {}) });
  private readonly sheets = resource({ loader: () => this.api.call(planCalls.sheets, {}) });
  protected readonly problem = computed(() => {
    const error = this.read.error() ?? this.profiles.error() ?? this.sheets.error();
    return error ? messageOf(error) : null;
  });
  protected readonly ready = computed(() => this.desk.plan() !== null && this.profiles.hasValue() && this.sheets.hasValue());
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  protected readonly saving = signal(false);
  protected readonly readOnly = computed(() => !this.maker());

  private readonly catalogue = computed(() => catalogueOf(this.profiles.hasValue() ? profilesOf(this.profiles.value()) : []));
  protected readonly antennas = computed(() => [...this.catalogue().antennas.values()]);
  /** Nodes change with every word heard of them; what the radio arithmetic needs of them does not. */
  private readonly facts = computed(() => radioFacts(this.catalogue(), this.sheets.hasValue() ? this.sheets.value() : [], this.nodes()), {
    equal: (a, b) => JSON.stringify(a) === JSON.stringify(b),
  });
  protected readonly states = computed(() => new Map(this.nodes().map((node) => [node.id, markOf(node)])));
  protected readonly rows = computed(() => {
    const plan = this.desk.plan();
    return plan && this.ready() ? planLinks(plan, partsOf(this.facts())) : [];
  });
  protected readonly links = computed(() => new Map(this.rows().flatMap(({ node, link }) => (link ? [[node.node, link]] : []))));
  protected readonly unplaced = computed(() => {
    const placed = new Set(this.desk.plan()?.nodes.map((one) => one.node));
    return this.nodes().filter((node) => !placed.has(node.id));
  });
  /** Nodes on the plan that are no longer among the nodes. */
  protected readonly gone = computed(() => {
    const known = new Set(this.nodes().map((node) => node.id));
    return (this.desk.plan()?.nodes ?? []).filter((one) => known.size > 0 && !known.has(one.node)).map((one) => one.node);
  });
  protected readonly heldNode = computed(() => {
    const held = this.desk.held();
    return held?.kind === 'node' ? (this.desk.plan()?.nodes.find((one) => one.node === held.id) ?? null) : null;
  });
  protected readonly measuredAt = computed(() => {
    const held = this.heldNode();
    return held ? (this.nodes().find((node) => node.id === held.node)?.rssiDbm ?? null) : null;
  });

  // Coverage
  protected readonly server = signal<string | null>(null);
  protected readonly shown = signal(true);
  private readonly covered = signal<{ floor: string; grid: CoverageGrid; margins: Float32Array; lines: readonly MarginLine[] } | null>(
    null,
  );
  protected readonly cover = new WorkerRun<'coverage'>((answer) => this.covered.set({ floor: answer.grid.floor, ...answer }));
  protected readonly lines = computed(() => (this.onThisFloor() ? (this.covered()?.lines ?? []) : []));
  protected readonly soundings = computed(() => (this.onThisFloor() ? this.covered() : null));
  private readonly onThisFloor = computed(() => this.shown() && this.covered()?.floor === this.desk.floor()?.id);
  private coverTimer: ReturnType<typeof setTimeout> | null = null;

  // Remedies and fit
  protected readonly remedies = signal<readonly Remedy[]>([]);
  protected readonly mend = new WorkerRun<'remedies'>((answer) => this.remedies.set(answer.remedies));
  protected readonly fit = signal<ModelFit | null>(null);
  protected readonly fitting = new WorkerRun<'fit'>((answer) => this.fit.set(answer.fit));
  private mendTimer: ReturnType<typeof setTimeout> | null = null;
  /** Levels that placed nodes told at their last start, as samples. */
  private readonly told = computed(() =>
    this.rows().flatMap(({ node, link }) => {
      const level = this.nodes().find((one) => one.id === node.node)?.rssiDbm ?? null;
      if (level === null || !link) return [];
      const gainDbi = (this.facts().antennas[node.antenna]?.gainDbi ?? 0) - node.cableDb;
      return [
        {
          node,
          predictedDbm: link.downDbm,
          measuredDbm: level,
          sample: {
            floor: node.floor,
            x: node.x,
            y: node.y,
            heightMetres: node.heightMetres,
            station: link.station.id,
            levelDbm: level,
            at: 0,
            gainDbi,
          },
        },
      ];
    }),
  );
  private readonly samples = computed(() => [
    ...(this.desk.plan()?.samples ?? []).map((sample) => ({ ...sample, gainDbi: 0 })),
    ...this.told().map((one) => one.sample),
  ]);
  protected readonly sampleCount = computed(() => this.samples().length);
  protected readonly difference = computed(() => (this.told().length > 0 ? predictedAgainst(this.told()) : null));

  // View
  private readonly drawing = viewChild(PlanDrawing);
  private readonly table = viewChild(LinkTable);
  protected readonly view = signal<View>({ left: -2, top: -2, scale: 20 });
  private sheetSize = { width: 560, height: 480 };
  private fittedFloor = '';
  protected readonly distance = signal('');
  protected readonly panel = signal<'links' | 'model'>('links');

  constructor() {
    effect(() => {
      if (!this.read.hasValue()) return;
      const { version, plan } = this.read.value();
      untracked(() => {
        if (this.desk.load(version, plan)) this.said.set({ text: 'Your drawing was kept and is not saved yet.', bad: false });
      });
    });
    effect(() => {
      const floor = this.desk.floor();
      if (floor && floor.id !== this.fittedFloor)
        untracked(() => {
          this.fittedFloor = floor.id;
          this.fitView();
        });
    });
    // Coverage follows what it is made of, once the hand rests.
    const radio = computed(() => {
      const plan = this.desk.plan();
      return plan && this.ready() ? { materials: plan.materials, model: plan.model, floors: plan.floors, stations: plan.stations } : null;
    });
    effect(() => {
      const [of, floor, server, shown, facts] = [radio(), this.desk.floor(), this.server(), this.shown(), this.facts()];
      if (this.coverTimer) clearTimeout(this.coverTimer);
      if (!of || !floor || !shown || of.stations.length === 0) {
        untracked(() => this.covered.set(null));
        return;
      }
      this.coverTimer = setTimeout(() => {
        const extent = extentOf(this.desk.plan() as SitePlan, floor.id);
        const area = { left: extent.left - AROUND, top: extent.top - AROUND, right: extent.right + AROUND, bottom: extent.bottom + AROUND };
        this.cover.start({
          kind: 'coverage',
          plan: of,
          facts,
          floor: floor.id,
          area,
          cellMetres: CELL,
          usual: { powerDbm: facts.usualPowerDbm, gainDbi: 0, heightMetres: 1.5 },
          station: server,
        });
      }, 250);
    });
    effect(() => {
      const [node, plan, facts] = [this.heldNode(), this.desk.plan(), this.facts()];
      if (this.mendTimer) clearTimeout(this.mendTimer);
      untracked(() => {
        this.remedies.set([]);
        this.mend.cancel();
      });
      if (!node || !plan || !this.ready() || !this.maker()) return;
      const link = untracked(() => this.links().get(node.node));
      if (link && link.marginDb >= 10) return;
      this.mendTimer = setTimeout(
        () =>
          this.mend.start({
            kind: 'remedies',
            plan,
            facts,
            node: node.node,
            means: remedyMeans(this.catalogue(), this.sheets.hasValue() ? this.sheets.value() : [], this.nodes()),
          }),
        250,
      );
    });
    // The roster's selection and the plan's are one.
    effect(() => {
      const [only] = this.selection.nodes().size === 1 ? [...this.selection.nodes()] : [];
      const placed = only === undefined ? undefined : untracked(() => this.desk.plan()?.nodes.find((one) => one.node === only));
      if (placed)
        untracked(() => {
          if (placed.floor !== this.desk.floorId()) this.desk.floorId.set(placed.floor);
          this.desk.held.set({ kind: 'node', id: placed.node });
        });
    });
  }

  ngOnDestroy(): void {
    for (const timer of [this.coverTimer, this.mendTimer]) if (timer) clearTimeout(timer);
    for (const run of [this.cover, this.mend, this.fitting]) run.close();
  }

  protected take(tool: Tool): void {
    if (tool === 'node' && this.hand.nodeToPlace() === '') this.hand.nodeToPlace.set(this.unplaced()[0]?.id ?? '');
    if (tool === 'zone' && this.hand.zoneNode() === '') this.hand.zoneNode.set(this.desk.plan()?.nodes[0]?.node ?? '');
    this.hand.take(tool);
  }
  protected press(press: Parameters<PlanTools['press']>[0]): void {
    const drawing = this.drawing();
    if (this.readOnly()) {
      this.desk.held.set(press.on?.kind === 'node' || press.on?.kind === 'station' ? press.on : null);
      if (drawing) drawing.mayPan = press.on === null;
      return;
    }
    const aboutView = this.hand.press(press);
    if (drawing) drawing.mayPan = aboutView;
    // The next of the nodes that have no place yet comes to hand by itself.
    if (this.hand.tool() === 'node' && this.hand.nodeToPlace() === '') {
      const next = this.unplaced()[0]?.id ?? '';
      this.hand.nodeToPlace.set(next);
      if (next === '') this.hand.take('select');
    }
  }
  protected enter(spot: Spot): void {
    if (!this.readOnly()) this.press({ spot, on: null, reach: 10 / this.view().scale, free: false });
  }
  protected nudge(by: Spot): void {
    const held = this.desk.held();
    if (held && !this.readOnly()) this.desk.edit((plan) => moved(plan, held, by));
    else this.view.update((view) => ({ ...view, left: view.left + by[0] * 4, top: view.top + by[1] * 4 }));
  }
  protected pan([dx, dy]: Spot): void {
    this.view.update((view) => ({ ...view, left: view.left - dx / view.scale, top: view.top - dy / view.scale }));
  }
  protected zoom({ factor, at: [px, py] }: { factor: number; at: Spot }): void {
    this.view.update(({ left, top, scale }) => {
      const next = Math.max(0.5, Math.min(400, scale * factor));
      return { left: left + px / scale - px / next, top: top + py / scale - py / next, scale: next };
    });
  }
  protected zoomBy(factor: number): void {
    this.zoom({ factor, at: [this.sheetSize.width / 2, this.sheetSize.height / 2] });
  }
  protected resize(size: { width: number; height: number }): void {
    const first = this.sheetSize.width === 560 && this.sheetSize.height === 480;
    this.sheetSize = size;
    if (first) this.fitView();
  }
  /** All of the floor on the sheet. */
  protected fitView(): void {
    const [plan, floor] = [this.desk.plan(), this.desk.floor()];
    if (!plan || !floor) return;
    const { left, top, right, bottom } = extentOf(plan, floor.id);
    const around = 2.5;
    const [width, height] = [right - left + 2 * around, bottom - top + 2 * around];
    const scale = Math.min(this.sheetSize.width / width, this.sheetSize.height / height);
    this.view.set({
      left: left - around - (this.sheetSize.width / scale - width) / 2,
      top: top - around - (this.sheetSize.height / scale - height) / 2,
      scale,
    });
  }
  protected choose(node: string): void {
    const placed = this.desk.plan()?.nodes.find((one) => one.node === node);
    if (!placed) return;
    if (placed.floor !== this.desk.floorId()) this.desk.floorId.set(placed.floor);
    this.desk.held.set({ kind: 'node', id: node });
  }
  protected tryRemedy(remedy: Remedy): void {
    this.desk.change(remedy.plan);
    this.said.set({ text: `${remedy.title}: done on the plan. Undo takes it back; save when it is right.`, bad: false });
  }
  protected setModel(model: RadioModel): void {
    this.desk.edit((plan) => ({ ...plan, model }));
  }
  protected runFit(): void {
    const plan = this.desk.plan();
    if (plan) this.fitting.start({ kind: 'fit', plan, facts: this.facts(), samples: this.samples() });
  }
  protected takeFit(fit: ModelFit): void {
    this.desk.edit((plan) => ({ ...plan, model: fit.model, materials: fit.materials }));
    this.fit.set(null);
  }

  // Floors
  protected addFloor(copy: boolean): void {
    const [plan, floor] = [this.desk.plan(), this.desk.floor()];
    if (!plan || !floor) return;
    const highest = Math.max(...plan.floors.map((one) => one.elevationMetres));
    const id = this.freeFloorId(plan, `floor-${plan.floors.length + 1}`);
    const about = { id, name: `Floor ${plan.floors.length + 1}`, elevationMetres: highest + 3 };
    const added = copy
      ? copyFloor(floor, about)
      : { ...about, slabLossDb: 15, picture: null, walls: [], openings: [], rooms: [], zones: [] };
    this.desk.change({ ...plan, floors: [...plan.floors, added] });
    this.desk.floorId.set(id);
  }
  protected setFloor(part: { name?: string; elevationMetres?: number; slabLossDb?: number }): void {
    if (part.name !== undefined && part.name.trim() === '') return;
    if ([part.elevationMetres, part.slabLossDb].some((value) => value === null || Number.isNaN(value))) return;
    this.desk.changeFloor((floor) => ({ ...floor, ...part }));
  }
  protected removeFloor(): void {
    const [plan, floor] = [this.desk.plan(), this.desk.floor()];
    if (!plan || !floor || plan.floors.length < 2) return;
    this.desk.change({
      ...plan,
      floors: plan.floors.filter((one) => one.id !== floor.id),
      stations: plan.stations.filter((one) => one.floor !== floor.id),
      nodes: plan.nodes.filter((one) => one.floor !== floor.id),
      samples: plan.samples.filter((one) => one.floor !== floor.id),
    });
    this.desk.floorId.set(plan.floors.find((one) => one.id !== floor.id)?.id ?? 'ground');
    this.said.set({ text: `${floor.name} was taken off with what stood on it. Undo brings it back.`, bad: false });
  }

  // Files
  protected async importPicture(input: HTMLInputElement): Promise<void> {
    const file = input.files?.[0];
    input.value = '';
    if (!file) return;
    await this.trying(async () => {
      const { base64 } = await pictureOf(file);
      const { id, widthPixels, heightPixels } = await this.api.call(sitePlan.addPicture, { body: { base64 } });
      // Twenty metres wide until two points tell better.
      this.desk.changeFloor((floor) => ({
        ...floor,
        picture: { id, widthPixels, heightPixels, metresPerPixel: 20 / widthPixels, x: 0, y: 0 },
      }));
      this.fitView();
      this.hand.take('scale');
      this.said.set({ text: 'Click two points whose distance you know, then type it.', bad: false });
    });
  }
  protected dropPicture(): void {
    this.desk.changeFloor((floor) => ({ ...floor, picture: null }));
  }
  /** The picture is made larger or smaller about its corner, so that the two points stand as far apart as was typed. */
  protected setScale(): void {
    const spots = this.hand.scaleSpots();
    const metres = Number(this.distance().replace(',', '.'));
    const picture = this.desk.floor()?.picture;
    if (!spots || !picture) return;
    const now = Math.hypot(spots[1][0] - spots[0][0], spots[1][1] - spots[0][1]);
    const metresPerPixel = picture.metresPerPixel * (metres / now);
    if (!(metres > 0) || now === 0 || !(metresPerPixel >= 0.0005 && metresPerPixel <= 5)) {
      this.said.set({
        text: 'That distance makes an absurd scale: click two points further apart, and type how many metres lie between them.',
        bad: true,
      });
      return;
    }
    this.desk.changeFloor((floor) => ({ ...floor, picture: floor.picture ? { ...floor.picture, metresPerPixel } : null }));
    this.hand.take('select');
    this.distance.set('');
    this.said.set({ text: `One metre is ${formatNumber(1 / metresPerPixel)} points of the picture now.`, bad: false });
    this.fitView();
  }
  protected async importPlan(input: HTMLInputElement): Promise<void> {
    const file = input.files?.[0];
    input.value = '';
    const current = this.desk.plan();
    if (!file || !current) return;
    await this.trying(async () => {
      if (file.size > 20_000_000) throw new Error(`${file.name} has ${Math.round(file.size / 1e6)} MB: a plan has 20 at most.`);
      const { plan, notes } = planOfText(file.name, await file.text(), current, this.hand.material());
      this.desk.change(plan);
      this.desk.floorId.set(plan.floors[0]?.id ?? 'ground');
      this.desk.held.set(null);
      this.fitView();
      this.said.set({
        text: [`${file.name} was read.`, ...notes.map((note) => `${note}.`), 'Undo brings the plan before it back.'].join(' '),
        bad: false,
      });
    });
  }
  protected async exportAs(kind: 'json' | 'geojson' | 'svg' | 'png' | 'csv'): Promise<void> {
    const [plan, floor, svg] = [this.desk.plan(), this.desk.floor(), this.drawing()?.svg().nativeElement];
    if (!plan || !floor || !svg) return;
    await this.trying(async () => {
      if (kind === 'json') download('site-plan.json', 'application/json', JSON.stringify(plan, null, 1));
      if (kind === 'geojson') download('site-plan.geojson', 'application/geo+json', JSON.stringify(toGeoJson(plan), null, 1));
      if (kind === 'svg') download(`${floor.id}.svg`, 'image/svg+xml', svgText(svg));
      if (kind === 'png') download(`${floor.id}.png`, 'image/png', await pngOf(svg));
      if (kind === 'csv') this.table()?.csv();
    });
  }
  protected async save(): Promise<void> {
    const plan = this.desk.plan();
    if (!plan || this.saving()) return;
    this.saving.set(true);
    await this.trying(async () => {
      const saved = await this.api.call(sitePlan.save, { body: { base: this.desk.base(), plan } });
      this.desk.wasSaved(saved.version, saved.plan);
      this.said.set({ text: `Saved as version ${saved.version}.`, bad: false });
    });
    this.saving.set(false);
  }

  protected shortcut(event: KeyboardEvent): void {
    const typing = (event.target as Element | null)?.closest('input, select, textarea, [contenteditable]');
    if (typing || this.readOnly()) return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'z') {
      event.preventDefault();
      if (event.shiftKey) this.desk.redo();
      else this.desk.undo();
    } else if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'y') {
      event.preventDefault();
      this.desk.redo();
    } else if (event.key === 'Escape') this.hand.escape();
    else if (event.key === 'Delete' || event.key === 'Backspace') this.desk.remove();
    else if (event.key === 'Enter' && this.hand.tool() === 'room' && this.hand.draft().spots.length >= 3) this.hand.finishRoom();
  }

  private async trying(act: () => Promise<void>): Promise<void> {
    this.said.set(null);
    try {
      await act();
    } catch (error) {
      this.said.set({ text: messageOf(error), bad: true });
    }
  }
  private freeFloorId(plan: SitePlan, wanted: string): string {
    const id = slug(wanted);
    return plan.floors.some((floor) => floor.id === id) ? this.freeFloorId(plan, `${wanted}-b`) : id;
  }
}
