import { addressing, BENCH_STEPS, provision, type Run } from '@dewpost/contract';
import { setupNetworkOf } from '@dewpost/core/joining';
import { formatDuration, formatNumber } from '@dewpost/core/quantity';
import { BreakpointObserver } from '@angular/cdk/layout';
import { NgTemplateOutlet } from '@angular/common';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, resource, signal, untracked } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { MatButton } from '@angular/material/button';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatIcon } from '@angular/material/icon';
import { MatDialog } from '@angular/material/dialog';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Plus } from 'lucide';
import { map } from 'rxjs';
import { Api, messageOf } from '../../data/api';
import { allRuns, placeFeature } from '../../data/reducers';
import { selectBoardNodes } from '../../data/selectors';
import { RangeTick } from '../../parts/range-tick';
import { Clock } from '../../parts/clock';
import { useIcons } from '../../parts/icons';
import { MoreTools } from '../../parts/more-tools';
import { markOf, StateGlyph } from '../../parts/state-glyph';
import { openNewNodes } from '../../shell/new-nodes';
import { BenchBoards } from './bench-boards';
import { BenchChoose } from './bench-choose';
import { BenchNetwork } from './bench-network';
import { BenchPort } from './bench-port';
import { BenchPreflight } from './bench-preflight';
import { BenchSide, type BenchRow } from './bench-side';
import { BootButton } from './boot-button';
import { PreflightFound } from './preflight-found';
import { failureOf, saysOf, type Failure } from './row-words';
import { ProvisionPages } from '../provision-pages';
import { chooseSerialDevice, hasWebSerial } from './web-serial-port';
import { STEP_TITLES } from '../step-titles';
import { WriteLoupe } from './write-loupe';
import { Writer } from './writer';

/** The bench's own, and the two beside it: the label at the printer, the fit in place. */
const STEPS = [...BENCH_STEPS, 'label', 'fit'] as const;
const PITCH = 56;
/** On a phone the whole track fits, and what it says stands under the name. */
const NARROW_PITCH = 37;

/** The bench: nodes down, steps across; each node's progress, log, and on failure cause and remedy. */
@Component({
  selector: 'dp-bench',
  imports: [
    BenchChoose,
    BenchNetwork,
    BenchPort,
    BenchSide,
    BootButton,
    MatButton,
    MatCheckbox,
    MatIcon,
    MoreTools,
    NgTemplateOutlet,
    PreflightFound,
    ProvisionPages,
    RouterLink,
    StateGlyph,
    WriteLoupe,
  ],
  providers: [BenchBoards, BenchPreflight],
  templateUrl: './bench.html',
  styles: `
    .in-row {
      grid-column: 1 / -1;
    }
    // Where nothing is opened it takes no room.
    dp-write-loupe:empty {
      display: none;
    }
    dp-boot-button.in-row {
      padding-left: 56px;
    }
    .drawn {
      grid-column: 2;
    }
    .name button {
      display: block;
      width: 100%;
      text-align: left;
    }
    .where {
      display: flex;
      align-items: baseline;
      gap: 12px;
    }
    .board {
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
      font-size: 12px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Bench {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly dialogs = inject(MatDialog);
  private readonly clockNow = inject(Clock);
  protected readonly writer = inject(Writer);
  protected readonly boards = inject(BenchBoards);
  protected readonly preflight = inject(BenchPreflight);
  protected readonly steps = STEPS;
  protected readonly titles = STEP_TITLES;
  protected readonly narrow = toSignal(
    inject(BreakpointObserver)
      .observe('(max-width: 899px)')
      .pipe(map(({ matches }) => matches)),
    { initialValue: false },
  );
  protected readonly pitch = computed(() => (this.narrow() ? NARROW_PITCH : PITCH));
  /** Room behind the last step for what is said at the notch. */
  protected readonly behind = computed(() => (this.narrow() ? 6 : 92));
  protected readonly mark = markOf;
  protected readonly place = this.store.selectSignal(placeFeature.selectPlaceState);
  /** From the address: nodes that run and are to be written again, names with commas between them. */
  readonly again = input<string>();
  private readonly anew = computed(() => (this.again() ?? '').split(','));
  private readonly nodes = this.store.selectSignal(selectBoardNodes);
  private readonly liveRuns = this.store.selectSignal(allRuns.selectAll);
  private readonly ledger = resource({ loader: () => this.api.call(provision.runs, {}) });
  private readonly runs = computed(() => {
    const newest = new Map<string, Run>();
    for (const run of [...(this.ledger.hasValue() ? this.ledger.value() : []), ...this.liveRuns()].sort((a, b) => a.id - b.id))
      // What went over the air is told on its own page.
      if (run.way !== 'air') newest.set(run.node, run);
    for (const run of this.liveRuns()) if (run.way !== 'air' && (newest.get(run.node)?.id ?? 0) <= run.id) newest.set(run.node, run);
    return newest;
  });
  /** What waits to be written or fitted, and what this page has written. */
  protected readonly rows = computed(() =>
    this.nodes()
      .filter(
        (node) => node.state !== 'proved' || node.fittedAt === null || this.writer.jobs().has(node.id) || this.anew().includes(node.id),
      )
      .map((node): BenchRow => ({ node, job: this.writer.jobs().get(node.id) ?? null, run: this.runs().get(node.id) ?? null })),
  );
  protected readonly waiting = computed(() =>
    this.rows()
      .filter(
        ({ node, job }) =>
          (node.state === 'planned' || node.state === 'stopped' || ((node.state === 'writing' || this.anew().includes(node.id)) && !job)) &&
          (!job || job.step === 'over' || node.state === 'stopped'),
      )
      .map(({ node }) => node.id),
  );
  /** Nodes that are ticked to be written; none ticked: all that wait. */
  protected readonly ticked = signal<ReadonlySet<string>>(new Set());
  protected readonly waitingNodes = computed(() => {
    const waiting = new Set(this.waiting());
    return this.rows().flatMap(({ node }) => (waiting.has(node.id) ? [node] : []));
  });
  protected readonly toWrite = computed(() => {
    const ticked = this.waiting().filter((node) => this.ticked().has(node));
    return ticked.length > 0 ? ticked : this.waiting();
  });
  protected readonly someTicked = computed(() => this.waiting().some((node) => this.ticked().has(node)));
  protected readonly range = new RangeTick();
  protected tick(nodes: readonly string[], on: boolean): void {
    this.ticked.update((ticked) => new Set(on ? [...ticked, ...nodes] : [...ticked].filter((node) => !nodes.includes(node))));
  }
  protected async write(nodes: readonly string[]): Promise<void> {
    if (await this.preflight.write(nodes)) this.ticked.set(new Set());
  }
  protected begin(nodes: readonly string[]): void {
    this.ticked.set(new Set());
    this.preflight.start(nodes);
  }
  protected readonly picked = signal<string | null>(null);
  protected readonly shown = computed(
    () =>
      this.rows().find(({ node }) => node.id === this.picked()) ??
      this.rows().find(({ job }) => job?.failure) ??
      this.rows().findLast(({ job }) => job && job.log.length > 0) ??
      null,
  );
  protected readonly network = resource({ loader: () => this.api.call(addressing.networks, {}) });
  protected readonly networkOpen = signal(false);

  constructor() {
    useIcons({ plus: Plus });
    // Once the nodes are known: what was begun and is not through goes on.
    effect(() => {
      if (!this.place().loaded) return;
      // A board that runs, or whose node is gone, holds no port any more.
      const open = new Set(this.nodes().flatMap((node) => (node.state === 'proved' ? [] : [node.id])));
      for (const node of this.writer.boardAt().keys()) if (!open.has(node)) untracked(() => void this.writer.choosePort(node, null));
    });
    effect(() => {
      if (!this.place().loaded || this.place().me?.role !== 'maker') return;
      untracked(() => {
        this.writer
          // Asked anew each time: a batch may be taken up long after the page was opened.
          .takeUp((node) => ['proved', 'written'].includes(this.nodes().find((one) => one.id === node)?.state ?? ''))
          .catch((error: unknown) => this.preflight.problem.set(messageOf(error)));
      });
    });
  }
  protected readonly underWay = computed(() => {
    const nodes = [...this.writer.batches().values()].flatMap((batch) => batch.nodes.map((one) => one.node));
    const left = this.rows().filter(({ node }) => nodes.includes(node.id) && node.state !== 'proved').length;
    return { all: nodes.length, left };
  });
  protected readonly queued = computed(
    () => [...this.writer.jobs().values()].filter((job) => job.step === 'queued' && job.port === null).length,
  );

  protected done(run: Run | null, job: { run: number | null } | null): number {
    if (!run || (job?.run != null && job.run !== run.id)) return 0;
    return this.steps.filter((step) => run.steps.some((one) => one.step === step && one.state === 'done')).length;
  }
  protected seconds(run: Run | null, step: (typeof STEPS)[number]): string {
    const found = run?.steps.find((one) => one.step === step && one.state === 'done');
    if (!found) return '';
    return found.ms === null ? 'in' : `${formatNumber(found.ms / 1000, found.ms < 9950 ? 1 : 0)} s`;
  }
  /** What this page was at is over, or the server has ended it: a sensor that says nothing stops a node long after it has joined. */
  private isOver({ job, run }: BenchRow): boolean {
    return !job || job.step === 'over' || (run?.result === 'stopped' && job.run === run.id);
  }
  protected says(row: BenchRow): string {
    return saysOf(row, {
      anew: this.anew().includes(row.node.id),
      over: this.isOver(row),
      waitsFor: row.job ? this.writer.waitsFor(row.job) : null,
      now: this.clockNow.now(),
    });
  }
  protected failure(row: BenchRow): Failure | null {
    return row.node.state === 'stopped' && this.isOver(row) ? failureOf(row) : null;
  }
  /** How long a gateway still takes settings, while it is being written. */
  protected windowLeft(row: BenchRow): string | null {
    const ends = row.job?.windowEnds ?? null;
    if (ends === null || !['check', 'write', 'digest', 'configure'].includes(row.job?.step ?? '')) return null;
    return ends > this.clockNow.now() ? formatDuration(ends - this.clockNow.now()) : 'no longer';
  }
  protected notchAt(row: BenchRow): number {
    const done = this.done(row.run, row.job);
    return (done + (row.job?.step === 'write' ? row.job.written : 0)) * this.pitch();
  }
  protected readonly serial = hasWebSerial();
  protected exportOf(node: string, form: 'json' | 'header' | 'csv'): string {
    return `/api/v1/nodes/${encodeURIComponent(node)}/configuration/${form}`;
  }
  protected readonly setupNetwork = setupNetworkOf;
  /** Where stand-in nodes serve their own pages; `null`: there are none. */
  protected readonly standins = computed(() => this.place().status?.nodePages ?? null);
  protected async usePort(node: string | null): Promise<void> {
    try {
      const device = await chooseSerialDevice();
      if (device) await this.writer.addDevice(device, node);
    } catch (error) {
      this.preflight.problem.set(messageOf(error));
    }
  }
  protected readonly wordsOf = messageOf;

  protected newNodes(): void {
    openNewNodes(this.dialogs);
  }
}
