import { drillSchema, type Drill, type DrillList } from '@dewpost/contract';
import { drillPassed, type DrillKind } from '@dewpost/core/proof';
import type { Logger } from 'pino';
import type { Engine } from '../../engine/engine';
import type { HouseEvents } from '../../model/house-events';
import type { Registry } from '../../model/registry';
import { notFound, ProblemError } from '../../problem/problem';
import type { Store } from '../../store/change';
import { SCRIPTS } from './scripts';
import { CannotDrill, DrillStopped, Stage } from './stage';
import type { Standins } from './standins';

interface Parts {
  store: Store;
  registry: Registry;
  engine: Engine;
  events: HouseEvents;
  standins: Standins;
  log: Logger;
  disconnect(node: string): void;
}
interface UnderWay {
  readonly id: number;
  readonly kind: DrillKind;
  readonly begunAt: number;
  readonly stage: Stage;
  readonly ended: Promise<void>;
}

const LISTED = 100;
const THROUGH = 'every step has ended';

/**
 * Lets something go wrong at stand-ins and waits for what has to follow; one at a time, and only with nodes that are stand-ins. Everything is put
 * back: at the end, when somebody stops it, when the server ends.
 */
export class Drills {
  private running: UnderWay | null = null;
  /** One is being written, and not under way yet. */
  private beginning = false;

  constructor(private readonly parts: Parts) {
    parts.events.on('delivered', (message) => this.running?.stage.heard(message));
  }

  /** What a server left open is over; what it set is put back as soon as the stand-ins answer. */
  async load(): Promise<void> {
    const { store } = this.parts;
    const cut = await store
      .database('drill')
      .whereNull('ended_at')
      .update({ ended_at: new Date(), ended_why: 'cut off: the server started anew', passed: false });
    if (cut > 0) await this.everythingBack();
  }

  async stop(): Promise<void> {
    this.running?.stage.stop('the server ends');
    await this.running?.ended;
  }

  async list(): Promise<DrillList> {
    const { standins, store } = this.parts;
    const rows = (await store.database('drill').whereNotNull('ended_at').orderBy('id', 'desc').limit(LISTED)) as DrillRow[];
    return {
      hindered: standins.there ? null : 'There are no stand-ins here: drills are for them, and never touch a real node.',
      running: this.running && viewOf(this.running),
      before: rows.map(drillOf),
    };
  }

  /** Begins a drill. Throws 409 where one is under way; 404 where there are no stand-ins, 502 where they do not answer. */
  async begin(kind: DrillKind, by: string): Promise<Drill> {
    const { standins } = this.parts;
    if (!standins.there) throw notFound('stand-in here: drills never touch a real node');
    if (this.running || this.beginning) throw new ProblemError(409, 'One at a time', 'Another drill is under way: stop it first, or wait.');
    this.beginning = true;
    try {
      return await this.beginAlone(kind, by);
    } finally {
      this.beginning = false;
    }
  }

  private async beginAlone(kind: DrillKind, by: string): Promise<Drill> {
    const { standins, registry, store, engine } = this.parts;
    const { nodes: there } = await standins.state();
    const stage = new Stage(
      this.parts,
      by,
      there.flatMap(({ node }) => registry.nodes.get(node) ?? []),
    );
    const begunAt = engine.now();
    const id = await store.database.transaction(async (trx) => {
      // One whose end the database did not take is over all the same.
      await trx('drill')
        .whereNull('ended_at')
        .update({ ended_at: new Date(begunAt), ended_why: 'what came of it could not be written', passed: false });
      const [row] = (await trx('drill')
        .insert({ kind, by_whom: by, begun_at: new Date(begunAt) })
        .returning('id')) as { id: number }[];
      if (!row) throw new Error('a drill was not written');
      return row.id;
    });
    this.running = { id, kind, begunAt, stage, ended: this.run(id, kind, stage) };
    return viewOf(this.running);
  }

  /** Stops a drill and puts everything back. Throws 404 where it does not run. */
  async stopDrill(id: number, by: string): Promise<Drill> {
    const { running } = this;
    if (running?.id !== id) throw notFound(`running drill ${id}`);
    running.stage.stop(`stopped by ${by}`);
    await running.ended;
    const row = (await this.parts.store.database('drill').where({ id }).first()) as DrillRow;
    return drillOf(row);
  }

  private async run(id: number, kind: DrillKind, stage: Stage): Promise<void> {
    const { registry, log, store, engine } = this.parts;
    let why = THROUGH;
    registry.drilled = new Set(stage.nodes.map(({ name }) => name));
    try {
      await SCRIPTS[kind](stage);
    } catch (error) {
      const known = error instanceof CannotDrill || error instanceof DrillStopped || error instanceof ProblemError;
      if (!known) log.error({ err: error, kind }, 'a drill failed');
      why = error instanceof ProblemError ? error.detail : known ? error.message : 'it could not go on: see the log';
    }
    for (const error of await stage.restore()) {
      log.error({ err: error, kind }, 'something of a drill could not be put back');
      why = 'something could not be put back: look at the stand-ins';
    }
    registry.drilled = new Set();
    const passed = why === THROUGH && drillPassed(stage.steps);
    await this.written(() =>
      store
        .database('drill')
        .where({ id })
        .update({ ended_at: new Date(engine.now()), ended_why: why, passed, steps: JSON.stringify(stage.steps) }),
    );
    this.running = null;
  }

  /** What came of it is written as soon as the database is there; until then it is under way. */
  private async written(write: () => Promise<unknown>): Promise<void> {
    try {
      await write();
    } catch (error) {
      this.parts.log.error({ err: error }, 'what came of a drill could not be written; the next one, or the next start, ends it');
    }
  }

  private async everythingBack(): Promise<void> {
    const { standins, log } = this.parts;
    try {
      const { nodes, networks } = await standins.state();
      for (const { node } of nodes)
        for (const kind of ['silent', 'failed', 'stuck', 'welded'] as const) await standins.set({ what: 'node', node, kind, on: false });
      for (const { name, down } of networks) if (down) await standins.set({ what: 'network', network: name, on: false });
    } catch (error) {
      log.warn({ err: error }, 'what a drill had set could not be put back: the stand-ins do not answer');
    }
  }
}

interface DrillRow {
  id: number;
  kind: DrillKind;
  by_whom: string;
  begun_at: Date;
  ended_at: Date | null;
  ended_why: string | null;
  passed: boolean | null;
  steps: unknown;
}

const drillOf = (row: DrillRow): Drill =>
  drillSchema.parse({
    ...{ id: row.id, kind: row.kind, by: row.by_whom, begunAt: row.begun_at.getTime() },
    ...{ endedAt: row.ended_at?.getTime() ?? null, endedWhy: row.ended_why, passed: row.passed, steps: row.steps },
  });

const viewOf = ({ id, kind, begunAt, stage }: UnderWay): Drill => ({
  ...{ id, kind, by: stage.by, begunAt, endedAt: null, endedWhy: null, passed: null },
  steps: [...stage.steps],
});
