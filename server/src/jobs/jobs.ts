import {
  Logger as WorkerLogger,
  makeWorkerUtils,
  runMigrations,
  runTaskList,
  type TaskList,
  type WorkerPool,
  type WorkerUtils,
} from 'graphile-worker';
import { setTimeout as wait } from 'node:timers/promises';
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

interface Queue {
  readonly utils: WorkerUtils;
  readonly workers: WorkerPool;
}

/** Several at a time, but never one job beside itself. */
const AT_ONCE = 2;
/** Tries before what is asked for is given up; the clock asks again. */
const TRIES = 8;
const TICK_MS = 5000;
const CONNECT_MS = 5000;
const ANSWER_MS = 15_000;
const END_MS = 5000;
const MINUTE_MS = 60_000;

/**
 * Runs jobs from the database's own queue: what was asked for is done though the server ends meanwhile, what fails is tried again after a
 * while that grows, and what is asked for twice before it is begun is done once. The clock is ours: the queue's own ends with the process
 * where the database is away as it strikes.
 */
export class Jobs {
  private readonly ending = new AbortController();
  private readonly pool: pg.Pool;
  private readonly logger = new WorkerLogger(({ jobId }) => (level, message) => {
    // What a job throws is said where it is run.
    if (jobId !== undefined) return;
    if (String(level) === 'error') {
      this.wasAway = true;
      this.parts.log.warn(message);
    } else if (String(level) === 'warning') this.parts.log.warn(message);
  });
  private readonly jobs: Job[] = [];
  private readonly underWay = new Map<string, Promise<void>>();
  private queue: Queue | null = null;
  /** The database was away since the workers were begun. */
  private wasAway = false;
  private renewing = false;
  private clock: NodeJS.Timeout | null = null;
  private minute = Math.floor(Date.now() / MINUTE_MS);
  /** Asked for, and not in the queue yet: it does not stand, or the database is away. */
  private readonly owed = new Set<string>();

  constructor(
    private readonly parts: {
      databaseUrl: string;
      log: Logger;
      /** By what the clock asks for; `false`: only what is asked for is done. */
      byClock: boolean;
      /** How often the clock is looked at, ms. */
      tickMs?: number;
    },
  ) {
    this.pool = new pg.Pool({
      connectionString: parts.databaseUrl,
      max: AT_ONCE + 2,
      application_name: 'dewpost jobs',
      // Whoever asks a database that is away, or paused, is told so: nobody waits for ever.
      connectionTimeoutMillis: CONNECT_MS,
      query_timeout: ANSWER_MS,
    });
    // The queue makes its connections anew.
    this.pool.on('error', (error) => {
      this.wasAway = true;
      parts.log.warn({ err: error }, 'a connection of the jobs broke');
    });
  }

  /** Before the start. */
  add(...jobs: readonly Job[]): void {
    this.jobs.push(...jobs);
  }

  /** Makes the queue where there is none, and begins. */
  async start(): Promise<void> {
    await runMigrations({ pgPool: this.pool, logger: this.logger });
    this.queue = await this.begin();
    this.tick();
    this.clock = setInterval(() => this.tick(), this.parts.tickMs ?? TICK_MS);
    this.clock.unref();
  }

  /** There is one server on a database: what is locked at a beginning is so by one that is no more, and would stay so for hours. */
  private async begin(): Promise<Queue> {
    await this.pool.query(
      `select graphile_worker.force_unlock_workers(array_agg(distinct locked_by)) from graphile_worker.jobs where locked_by is not null
       having count(*) > 0`,
    );
    const parts = { pgPool: this.pool, logger: this.logger };
    const utils = await makeWorkerUtils(parts);
    const tasks: TaskList = Object.fromEntries(this.jobs.map((job) => [job.name, () => this.inTurn(job)]));
    const workers = runTaskList({ ...parts, concurrency: AT_ONCE, noHandleSignals: true }, tasks, this.pool);
    workers.promise.catch((error: unknown) => this.parts.log.warn({ err: error }, 'workers of the queue of jobs have ended'));
    return { utils, workers };
  }

  /** The database has been away: of workers that had asked it just then some never hear of it again. */
  private async renew(): Promise<void> {
    const { queue } = this;
    if (!queue || !this.wasAway || this.renewing) return;
    this.renewing = true;
    try {
      const anew = await this.begin();
      this.wasAway = false;
      if (this.ending.signal.aborted) return await this.end(anew);
      this.queue = anew;
      queue.workers.gracefulShutdown().catch((error: unknown) => this.parts.log.warn({ err: error }, 'workers that heard nothing more'));
    } catch {
      // Still away: the next look at the clock tries again, and what was asked for is owed.
    } finally {
      this.renewing = false;
    }
  }

  /** Asks for a job; it is begun at once, or as soon as it is through with what it is at. */
  soon(name: string): void {
    if (!this.queue) {
      this.owed.add(name);
      return;
    }
    this.queue.utils.addJob(name, {}, { jobKey: name, queueName: name, maxAttempts: TRIES }).catch((error: unknown) => {
      this.owed.add(name);
      this.wasAway = true;
      this.parts.log.warn({ err: error, job: name }, 'a job could not be asked for; it is asked for again');
    });
  }

  /** Lets what is under way come to its next end. */
  async stop(): Promise<void> {
    this.ending.abort();
    if (this.clock) clearInterval(this.clock);
    const { queue } = this;
    this.queue = null;
    if (queue) await this.end(queue);
    await Promise.race([this.pool.end(), wait(END_MS, undefined, { ref: false })]);
  }

  /** Workers that wait for a database that is away are not waited for. */
  private async end({ workers, utils }: Queue): Promise<void> {
    const ended = workers.gracefulShutdown().then(() => utils.release());
    await Promise.race([ended, wait(END_MS, undefined, { ref: false })]).catch((error: unknown) =>
      this.parts.log.warn({ err: error }, 'the queue of jobs did not end in order'),
    );
  }

  /** What is owed, and what is due with a minute that has begun. Minutes that were slept through count once. */
  private tick(): void {
    if (this.wasAway) return void this.renew();
    const owed = [...this.owed];
    this.owed.clear();
    const minute = Math.floor(Date.now() / MINUTE_MS);
    const due = this.parts.byClock && minute !== this.minute ? this.jobs.filter((job) => isDue(job, this.minute, minute)) : [];
    this.minute = minute;
    for (const name of new Set([...owed, ...due.map((job) => job.name)])) this.soon(name);
  }

  /** Never beside itself, though another worker had it before. */
  private inTurn(job: Job): Promise<void> {
    const before = this.underWay.get(job.name) ?? Promise.resolve();
    const run = before.then(() => this.runOne(job));
    this.underWay.set(
      job.name,
      run.catch(() => undefined),
    );
    return run;
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

/** Does a minute of a job's lie after `before`, up to `now` (both in minutes since 1970)? A clock set back asks once more. */
export const isDue = ({ everyMinutes: every }: Pick<Job, 'everyMinutes'>, before: number, now: number): boolean =>
  every !== null && (now < before || Math.floor(now / every) > Math.floor(before / every));
