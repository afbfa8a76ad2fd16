import type { Logger } from 'pino';
import type { Database } from '../database/connect';
import type { HouseEvents } from '../model/house-events';
import type { PointEntry } from '../model/entries';
import { reconvert } from './convert-anew';
import { deriveAnew } from './derive-anew';

interface Run {
  readonly point: PointEntry;
  readonly version: number;
  /** How much of its record is done, 0…1, and how many readings changed by now. */
  share: number;
  changed: number;
  readonly abort: AbortController;
  done: Promise<void>;
}

const RETRY_MS = 10_000;

/** Converts records anew behind the readings that come in, one run of a point after the other. A run may be called off; what is cut off goes on at the next start. */
export class Anew {
  /** Under way, or waiting for their turn at their point: in the order in which they came. */
  private readonly runs = new Set<Run>();
  private stopping = false;

  constructor(private readonly parts: { database: Database; events: HouseEvents; log: Logger }) {}

  /** How far the record of a point is converted by this version; `null`: nothing is under way. */
  shareOf(point: PointEntry, version: number): number | null {
    return this.runsOf(point).find((run) => run.version === version)?.share ?? null;
  }

  /** The run of this version is called off: whatever follows converts what it has done. */
  callOff(point: PointEntry, version: number): void {
    for (const run of this.runsOf(point)) if (run.version === version) run.abort.abort();
  }

  /**
   * Converts what is stored from a time on (ms) by what is in force when its turn comes, after whatever is under way for the point. Gives the
   * run: wait for `done` or leave it; a failure is tried again until the server ends.
   */
  begin(point: PointEntry, version: number, from: number): Run {
    const before = this.runsOf(point).at(-1);
    const run: Run = { point, version, share: 0, changed: 0, abort: new AbortController(), done: Promise.resolve() };
    run.done = (before?.done ?? Promise.resolve()).then(() => this.until(point, run, from));
    this.runs.add(run);
    void run.done.finally(() => this.runs.delete(run));
    return run;
  }

  async stop(): Promise<void> {
    this.stopping = true;
    for (const { abort } of this.runs) abort.abort();
    await Promise.all([...this.runs].map(({ done }) => done));
  }

  private runsOf(point: PointEntry): Run[] {
    return [...this.runs].filter((run) => run.point === point);
  }

  private async until(point: PointEntry, run: Run, from: number): Promise<void> {
    while (!run.abort.signal.aborted) {
      try {
        await this.convert(point, run, from);
        return;
      } catch (error) {
        this.parts.log.error({ err: error, point: point.name }, 'stored readings could not be converted anew; it is tried again');
        await new Promise<void>((resolve) => {
          const timer = setTimeout(resolve, RETRY_MS);
          run.abort.signal.addEventListener('abort', () => {
            clearTimeout(timer);
            resolve();
          });
        });
      }
    }
  }

  private async convert(point: PointEntry, run: Run, from: number): Promise<void> {
    const { database, events } = this.parts;
    const { signal } = run.abort;
    // Where nothing else converts, the first one reaches back to the beginning.
    const begin = point.body.raw !== null && point.body.raw.nominal === null ? 0 : from;
    await reconvert(database, point, point.calibrations, begin, {
      signal,
      progress: (share, changed) => {
        run.share = share;
        run.changed += changed;
      },
    });
    if (!signal.aborted) await deriveAnew(database, point, begin, signal);
    // What was done stands, finished or not: what is computed from it follows.
    if (run.changed > 0 && !this.stopping) await events.settle('rewritten', { points: [...point.node.points.values()], from: begin });
    if (!signal.aborted) await database('calibration').where({ point_id: point.id, version: run.version }).update({ settled: true });
  }
}
