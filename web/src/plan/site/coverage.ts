import type { CoverageGrid } from '@dewpost/core/radio';
import { extentOf, type SitePlan } from '@dewpost/core/site-plan';
import { computed, DestroyRef, effect, inject, signal, untracked, type Signal } from '@angular/core';
import type { PlanDesk } from './plan-desk';
import type { MarginLine } from './plan-jobs';
import type { radioFacts } from './radio-facts';
import { WorkerRun } from './worker-run';

/** Cells of the coverage, m. */
const CELL = 0.25;
/** How far around what is drawn the coverage reaches, m. */
const AROUND = 6;
/** How long the hand rests before it is worked out anew, ms. */
const REST_MS = 250;

/** The coverage of the floor that is shown: worked out in a worker whenever what it is made of has changed. */
export class Coverage {
  /** The station whose coverage is wanted; `null`: the best of all. */
  readonly station = signal<string | null>(null);
  readonly shown = signal(true);
  private readonly covered = signal<{ floor: string; grid: CoverageGrid; margins: Float32Array; lines: readonly MarginLine[] } | null>(
    null,
  );
  readonly run = new WorkerRun<'coverage'>((answer) => this.covered.set({ floor: answer.grid.floor, ...answer }));
  private readonly onThisFloor = computed(() => this.shown() && this.covered()?.floor === this.desk.floor()?.id);
  readonly lines = computed(() => (this.onThisFloor() ? (this.covered()?.lines ?? []) : []));
  readonly soundings = computed(() => (this.onThisFloor() ? this.covered() : null));

  constructor(
    private readonly desk: PlanDesk,
    ready: Signal<boolean>,
    facts: Signal<ReturnType<typeof radioFacts>>,
  ) {
    let timer: ReturnType<typeof setTimeout> | null = null;
    const radio = computed(() => {
      const plan = desk.plan();
      return plan && ready() ? { materials: plan.materials, model: plan.model, floors: plan.floors, stations: plan.stations } : null;
    });
    effect(() => {
      const [plan, floor, station, shown, known] = [radio(), desk.floor(), this.station(), this.shown(), facts()];
      if (timer) clearTimeout(timer);
      if (!plan || !floor || !shown || plan.stations.length === 0) {
        untracked(() => this.covered.set(null));
        return;
      }
      timer = setTimeout(() => {
        const { left, top, right, bottom } = extentOf(desk.plan() as SitePlan, floor.id);
        this.run.start({
          kind: 'coverage',
          plan,
          facts: known,
          floor: floor.id,
          area: { left: left - AROUND, top: top - AROUND, right: right + AROUND, bottom: bottom + AROUND },
          cellMetres: CELL,
          usual: { powerDbm: known.usualPowerDbm, gainDbi: 0, heightMetres: 1.5 },
          station,
        });
      }, REST_MS);
    });
    inject(DestroyRef).onDestroy(() => {
      if (timer) clearTimeout(timer);
      this.run.close();
    });
  }
}
