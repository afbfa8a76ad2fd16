import type { Node } from '@dewpost/contract';
import { predictedAgainst, type ModelFit, type PlanLink, type Remedy } from '@dewpost/core/radio';
import type { PlacedNode } from '@dewpost/core/site-plan';
import { computed, DestroyRef, effect, inject, signal, untracked, type Signal } from '@angular/core';
import type { LinkRow } from './link-table';
import type { PlanDesk } from './plan-desk';
import type { radioFacts, remedyMeans } from './radio-facts';
import { WorkerRun } from './worker-run';

/** A link with this much margin needs no remedy, dB. */
const SOUND_DB = 10;
const REST_MS = 250;

/** What mending is made of: what stands on the plan, and what was measured. */
export interface MendingParts {
  readonly desk: PlanDesk;
  readonly ready: Signal<boolean>;
  readonly maker: Signal<boolean>;
  readonly facts: Signal<ReturnType<typeof radioFacts>>;
  readonly rows: Signal<readonly LinkRow[]>;
  readonly links: Signal<ReadonlyMap<string, PlanLink>>;
  readonly nodes: Signal<readonly Node[]>;
  /** The node in hand. */
  readonly heldNode: Signal<PlacedNode | null>;
  readonly means: () => ReturnType<typeof remedyMeans>;
}

/** What would help a thin link, and the radio model held against what was measured: both worked out in workers. */
export class Mending {
  readonly remedies = signal<readonly Remedy[]>([]);
  readonly mend = new WorkerRun<'remedies'>((answer) => this.remedies.set(answer.remedies));
  readonly fit = signal<ModelFit | null>(null);
  readonly fitting = new WorkerRun<'fit'>((answer) => this.fit.set(answer.fit));
  /** Levels that placed nodes told at their last start, as samples. */
  private readonly levels = computed(() =>
    this.parts.rows().flatMap(({ node, link }) => {
      const level = this.parts.nodes().find(({ id }) => id === node.node)?.rssiDbm ?? null;
      if (level === null || !link) return [];
      const gainDbi = (this.parts.facts().antennas[node.antenna]?.gainDbi ?? 0) - node.cableDb;
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
    ...(this.parts.desk.plan()?.samples ?? []).map((sample) => ({ ...sample, gainDbi: 0 })),
    ...this.levels().map(({ sample }) => sample),
  ]);
  readonly sampleCount = computed(() => this.samples().length);
  readonly difference = computed(() => (this.levels().length > 0 ? predictedAgainst(this.levels()) : null));

  constructor(private readonly parts: MendingParts) {
    const { desk, ready, maker, facts, links, heldNode } = parts;
    let timer: ReturnType<typeof setTimeout> | null = null;
    effect(() => {
      const [node, plan, known] = [heldNode(), desk.plan(), facts()];
      if (timer) clearTimeout(timer);
      untracked(() => {
        this.remedies.set([]);
        this.mend.cancel();
      });
      if (!node || !plan || !ready() || !maker()) return;
      const link = untracked(() => links().get(node.node));
      if (link && link.marginDb >= SOUND_DB) return;
      timer = setTimeout(() => this.mend.start({ kind: 'remedies', plan, facts: known, node: node.node, means: parts.means() }), REST_MS);
    });
    inject(DestroyRef).onDestroy(() => {
      if (timer) clearTimeout(timer);
      for (const run of [this.mend, this.fitting]) run.close();
    });
  }

  runFit(): void {
    const plan = this.parts.desk.plan();
    if (plan) this.fitting.start({ kind: 'fit', plan, facts: this.parts.facts(), samples: this.samples() });
  }
  takeFit(fit: ModelFit): void {
    this.parts.desk.edit((plan) => ({ ...plan, model: fit.model, materials: fit.materials }));
    this.fit.set(null);
  }
}
