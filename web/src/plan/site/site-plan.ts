import { plan as planCalls, sitePlan } from '@dewpost/contract';
import { catalogueOf } from '@dewpost/core/circuit';
import { planLinks, type Remedy } from '@dewpost/core/radio';
import type { RadioModel, Spot } from '@dewpost/core/site-plan';
import { ChangeDetectionStrategy, Component, computed, effect, inject, resource, signal, untracked, viewChild } from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatIcon } from '@angular/material/icon';
import { MatTooltip } from '@angular/material/tooltip';
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
import { placeFeature } from '../../data/reducers';
import { selectBoardNodes } from '../../data/selectors';
import { MoreTools } from '../../parts/more-tools';
import { useIcons } from '../../parts/icons';
import { markOf } from '../../parts/state-glyph';
import { Selection } from '../../shell/selection';
import { profilesOf } from '../../data/catalogue-reply';
import { PlanPages } from '../common/plan-pages';
import { Coverage } from './coverage';
import { LinkTable } from './link-table';
import { Mending } from './mending';
import { PlanDesk, moved } from './plan-desk';
import { PlanDrawing } from './plan-drawing';
import { PlanExchange } from './plan-exchange';
import { PlanInspector } from './plan-inspector';
import { partsOf } from './plan-jobs';
import { PlanLegend } from './plan-legend';
import { PlanOptions } from './plan-options';
import { PlanRemedies } from './plan-remedies';
import { PlanTools, type Tool } from './plan-tools';
import { PlanView } from './plan-view';
import { radioFacts, remedyMeans } from './radio-facts';
import { RadioModelPanel } from './radio-model';

const TOOLS: readonly { tool: Tool; says: string; icon: string; drawing: typeof Ruler }[] = [
  { tool: 'select', says: 'Select', icon: 'tool-select', drawing: MousePointer2 },
  { tool: 'wall', says: 'Wall', icon: 'tool-wall', drawing: BrickWall },
  { tool: 'opening', says: 'Opening', icon: 'tool-opening', drawing: DoorOpen },
  { tool: 'room', says: 'Room', icon: 'tool-room', drawing: Vault },
  { tool: 'access point', says: 'Access point', icon: 'tool-access-point', drawing: RadioTower },
  { tool: 'gateway', says: 'Gateway', icon: 'tool-gateway', drawing: Router },
  { tool: 'node', says: 'Node', icon: 'tool-node', drawing: MapPin },
  { tool: 'zone', says: 'Zone', icon: 'tool-zone', drawing: SquareDashed },
  { tool: 'measure', says: 'Measure', icon: 'tool-measure', drawing: Ruler },
];
/** The site plan: floors, walls and rooms drawn or imported, stations and nodes placed, and every radio link worked out as they move. */
@Component({
  selector: 'dp-site-plan',
  imports: [
    LinkTable,
    MatButton,
    MatButtonToggleModule,
    MatIcon,
    MatIconButton,
    MatTooltip,
    MoreTools,
    PlanDrawing,
    PlanExchange,
    PlanInspector,
    PlanLegend,
    PlanOptions,
    PlanPages,
    PlanRemedies,
    RadioModelPanel,
    RouterLink,
  ],
  templateUrl: './site-plan.html',
  styleUrl: './site-plan.scss',
  host: { '(document:keydown)': 'shortcut($event)' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SitePlanPage {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly selection = inject(Selection);
  protected readonly tools = TOOLS;
  protected readonly desk = new PlanDesk();
  protected readonly hand = new PlanTools(this.desk);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  private readonly nodes = this.store.selectSignal(selectBoardNodes);
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

  protected readonly coverage = new Coverage(this.desk, this.ready, this.facts);
  protected readonly mending = new Mending({
    desk: this.desk,
    ready: this.ready,
    maker: this.maker,
    facts: this.facts,
    rows: this.rows,
    links: this.links,
    nodes: this.nodes,
    heldNode: this.heldNode,
    means: () => remedyMeans(this.catalogue(), this.sheets.hasValue() ? this.sheets.value() : [], this.nodes()),
  });

  protected readonly drawing = viewChild(PlanDrawing);
  protected readonly table = viewChild(LinkTable);
  protected readonly view = new PlanView(
    () => {
      const [plan, floor] = [this.desk.plan(), this.desk.floor()];
      return plan && floor ? { plan, floor: floor.id } : null;
    },
    2.5,
    { width: 560, height: 480 },
  );
  private fittedFloor = '';
  protected readonly panel = signal<'links' | 'model'>('links');

  constructor() {
    useIcons({ survey: Footprints, undo: Undo2, redo: Redo2, ...Object.fromEntries(TOOLS.map(({ icon, drawing }) => [icon, drawing])) });
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
          this.view.fit();
        });
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
    if (!this.readOnly()) this.press({ spot, on: null, reach: 10 / this.view.view().scale, free: false });
  }
  protected nudge(by: Spot): void {
    const held = this.desk.held();
    if (held && !this.readOnly()) this.desk.edit((plan) => moved(plan, held, by));
    else this.view.step(by);
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
}
