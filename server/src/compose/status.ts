import type { Status } from '@dewpost/contract';
import { statfs } from 'node:fs/promises';
import type { Config } from '../config/config';
import type { Database } from '../database/connect';
import type { Engine } from '../engine/engine';
import type { Intake } from '../intake/intake';
import type { Hub } from '../events/hub';
import type { Registry } from '../model/registry';

const LOOK_MS = 2000;
/** A database that has not answered by then is away. */
const ANSWER_MS = 2000;
/** With less free than this where data is kept, writes will soon fail. */
const LEAST_FREE_BYTES = 50 * 1024 * 1024;
const CLOCK_SAID_MS = 3_600_000;

interface Parts {
  config: Config;
  database: Database;
  registry: Registry;
  intake: Intake;
  engine: Engine;
  hub: Hub;
}

/** How the house stands: looked at every two seconds, told to pages, and asked by who watches over the process. */
export class StatusWatch {
  private timer: NodeJS.Timeout | null = null;
  private databaseOk = true;
  private untold = 0;
  /** What lies in the outbox and is not sent yet, as last looked at. */
  outboxWaiting = 0;
  private standins: Status['standins'];

  constructor(private readonly parts: Parts) {
    this.standins = parts.config.standinsUrl === null ? 'off' : 'not answering';
  }

  start(): void {
    let underWay = false;
    this.timer = setInterval(() => {
      if (underWay) return;
      underWay = true;
      void this.look().finally(() => (underWay = false));
    }, LOOK_MS);
  }

  stop(): void {
    if (this.timer) clearInterval(this.timer);
  }

  status(): Status {
    const { config, registry, intake, engine } = this.parts;
    const all = [...registry.nodes.values()].filter(({ kind }) => kind !== 'computed');
    const { clockSet } = engine;
    return {
      broker: 'ok',
      database: this.databaseOk ? 'ok' : 'down',
      readingsPerMinute: intake.readingsPerMinute(),
      nodesHeard: all.filter((node) => node.heardAt !== null && !node.silent && node.state === 'proved').length,
      nodesWritten: all.filter((node) => node.state === 'proved' || node.state === 'written').length,
      standins: this.standins,
      nodePages: config.standinsUrl === null ? null : new URL(config.standinsUrl).origin,
      untold: this.untold,
      clockSet: clockSet !== null && Math.abs(Date.now() - clockSet.at) < CLOCK_SAID_MS ? clockSet : null,
      time: Date.now(),
    };
  }

  /** Can it do its work: does the database answer, and is there room to write? */
  async health(): Promise<{ ok: boolean; detail: Record<string, string> }> {
    const { database, config } = this.parts;
    const answered = await within(ANSWER_MS, database.raw('select 1'));
    const room = await statfs(config.dataDirectory).then(
      ({ bavail, bsize }) => bavail * bsize,
      () => null,
    );
    const full = room !== null && room < LEAST_FREE_BYTES;
    // The database's own disk may lie elsewhere: that it is full shows when something is to be stored.
    const storing = !this.parts.intake.failing;
    return {
      ok: answered && storing && !full,
      detail: { database: answered ? 'ok' : 'down', storing: storing ? 'ok' : 'failing', broker: 'ok', disk: full ? 'full' : 'ok' },
    };
  }

  private async look(): Promise<void> {
    const { config, database, hub } = this.parts;
    const count = database('outbox as o')
      .joinRaw(`join alert a on a.id = (o.body->>'alertId')::int`)
      .where({ 'o.kind': 'message' })
      .whereNull('o.done_at')
      .whereNull('o.failed_at')
      .where('o.attempts', '>', 0)
      .whereNull('a.cleared_at')
      .countDistinct<{ count: number }[]>('a.id as count');
    const waiting = database('outbox').whereNull('done_at').whereNull('failed_at').count<{ count: number }[]>('id as count');
    this.databaseOk = await within(
      ANSWER_MS,
      Promise.all([count, waiting]).then(([[untold], [all]]) => {
        this.untold = Number(untold?.count ?? 0);
        this.outboxWaiting = Number(all?.count ?? 0);
      }),
    );
    if (config.standinsUrl !== null) {
      this.standins = await fetch(new URL('/healthz', config.standinsUrl), { signal: AbortSignal.timeout(1500) }).then(
        (answer) => (answer.ok ? 'running' : 'not answering'),
        () => 'not answering' as const,
      );
    }
    hub.publish([{ type: 'status', status: this.status() }]);
  }
}

/** Did it come to an end, and a good one, in this time? */
function within(ms: number, work: PromiseLike<unknown>): Promise<boolean> {
  return new Promise((resolve) => {
    const late = setTimeout(() => resolve(false), ms);
    const over = (good: boolean) => () => {
      clearTimeout(late);
      resolve(good);
    };
    work.then(over(true), over(false));
  });
}
