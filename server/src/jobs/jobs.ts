import { Logger as WorkerLogger, parseCronItems, run, runMigrations, type Runner, type TaskList } from 'graphile-worker';
import pg from 'pg';
import type { Logger } from 'pino';

/** Work that is done behind everything else. */
export interface Job {
  /** A word of its own, as the database keeps it. */
  readonly name: string;
  /** What could not be done, in the log. */
  readonly failed: string;
  /** By the clock every so many minutes (1, or what divides 60), `null`: only when it is asked for. */
  readonly everyMinutes: number | null;
  /** May be cut off at any time, and begun again: what it does is then done once. `ends` says that the server ends. */
  run(ends: AbortSignal): Promise<void>;
}

/** Several at a time, but never one job beside itself. */
const AT_ONCE = 2;
/** Tries before what is asked for is given up; the clock asks again. */
const TRIES = 8;

/**
 * Runs jobs from the database's own queue: what was asked for is done though the server ends meanwhile, what fails is tried again after a
 * while that grows, and what is asked for twice before it is begun is done once.
 */
export class Jobs {
  private readonly ending = new AbortController();
  private readonly pool: pg.Pool;
  private readonly logger = new WorkerLogger(({ jobId }) => (level, message) => {
    // What a job throws is said where it is run.
    if (jobId !== undefined) return;
    if (String(level) === 'error') this.parts.log.error(message);
    else if (String(level) === 'warning') this.parts.log.warn(message);
  });
  private readonly jobs: Job[] = [];
  private runner: Runner | null = null;
  /** Asked for before the queue stood. */
  private readonly early = new Set<string>();

  constructor(
    private readonly parts: {
      databaseUrl: string;
      log: Logger;
      /** By what the clock asks for; `false`: only what is asked for is done. */
      byClock: boolean;
    },
  ) {
    this.pool = new pg.Pool({ connectionString: parts.databaseUrl, max: AT_ONCE + 2, application_name: 'dewpost jobs' });
    // The queue makes its connections anew; that one broke is said once, not for each.
    this.pool.on('error', (error) => parts.log.warn({ err: error }, 'a connection of the jobs broke'));
  }

  /** Before the start. */
  add(...jobs: readonly Job[]): void {
    this.jobs.push(...jobs);
  }

  /** Makes the queue where there is none, and begins. */
  async start(): Promise<void> {
    const { jobs } = this;
    const { byClock } = this.parts;
    const taskList: TaskList = Object.fromEntries(jobs.map((job) => [job.name, () => this.runOne(job)]));
    const clock = jobs.flatMap(({ name, everyMinutes: every }) =>
      every === null || !byClock
        ? []
        : [
            {
              task: name,
              match: every === 60 ? '0 * * * *' : every === 1 ? '* * * * *' : `*/${every} * * * *`,
              options: { backfillPeriod: 0, ...this.options(name) },
            },
          ],
    );
    await this.takeOver();
    this.runner = await run({
      pgPool: this.pool,
      taskList,
      parsedCronItems: parseCronItems(clock),
      concurrency: AT_ONCE,
      noHandleSignals: true,
      logger: this.logger,
    });
    for (const name of this.early) this.soon(name);
    this.early.clear();
  }

  /** Asks for a job; it is begun at once, or as soon as it is through with what it is at. */
  soon(name: string): void {
    const { runner } = this;
    if (!runner) {
      this.early.add(name);
      return;
    }
    runner
      .addJob(name, {}, this.options(name))
      .catch((error: unknown) => this.parts.log.error({ err: error, job: name }, 'a job could not be asked for; the clock asks again'));
  }

  /** Lets what is under way come to its next end. */
  async stop(): Promise<void> {
    this.ending.abort();
    const { runner } = this;
    this.runner = null;
    await runner?.stop();
    await this.pool.end();
  }

  /**
   * There is one server on a database: what is locked is so by one that was killed, and would stay so for hours. Makes the queue's tables
   * where there are none.
   */
  private async takeOver(): Promise<void> {
    await runMigrations({ pgPool: this.pool, logger: this.logger });
    await this.pool.query(
      `select graphile_worker.force_unlock_workers(array_agg(distinct locked_by)) from graphile_worker.jobs where locked_by is not null
       having count(*) > 0`,
    );
  }

  private options(name: string): { jobKey: string; queueName: string; maxAttempts: number } {
    return { jobKey: name, queueName: name, maxAttempts: TRIES };
  }

  private async runOne(job: Job): Promise<void> {
    if (this.ending.signal.aborted) throw new Error('the server ends: the next one does it');
    try {
      await job.run(this.ending.signal);
    } catch (error) {
      this.parts.log.error({ err: error, job: job.name }, `${job.failed}; it is tried again`);
      throw error;
    }
  }
}
