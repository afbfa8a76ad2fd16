import { setTimeout as wait } from 'node:timers/promises';
import pg from 'pg';
import type { Logger } from 'pino';

const KEY = "hashtext('dew post server')";
/** One that was just killed may still be holding it: its connection ends a moment later. */
const PATIENCE_MS = 10_000;
const AGAIN_MS = 500;

/**
 * The right to be the one server of a database: an advisory lock held by a connection of its own. Two servers would judge every
 * reading twice and command each other's outputs.
 */
export class OnlyServer {
  private client: pg.Client | null = null;
  private stopped = false;

  constructor(
    private readonly url: string,
    private readonly log: Logger,
    /** Another server has taken over while the database was away: this one must not go on. */
    private readonly onTaken: (who: string) => void,
  ) {}

  /** Takes the right. Throws, naming the other, where another server has it and keeps it. */
  async take(patienceMs = PATIENCE_MS): Promise<void> {
    const until = Date.now() + patienceMs;
    for (;;) {
      const other = await this.tryToTake();
      if (other === null) return;
      if (Date.now() >= until)
        throw new Error(
          `Another Dew Post server is running on this database (${other}). Stop it first, or give this one a database of its own with DATABASE_URL.`,
        );
      await wait(AGAIN_MS);
    }
  }

  async release(): Promise<void> {
    this.stopped = true;
    const { client } = this;
    this.client = null;
    await client?.end().catch((error: unknown) => this.log.warn({ err: error }, 'the connection that held the lock ended by itself'));
  }

  /** `null`: taken. Otherwise who has it. */
  private async tryToTake(): Promise<string | null> {
    const client = new pg.Client({ connectionString: this.url, application_name: 'dewpost server', connectionTimeoutMillis: 5000 });
    client.on('error', () => this.lost(client));
    client.on('end', () => this.lost(client));
    await client.connect();
    try {
      const { rows } = await client.query<{ taken: boolean }>(`select pg_try_advisory_lock(${KEY}) as taken`);
      if (!rows[0]?.taken) return await this.holder(client);
      this.client = client;
      return null;
    } finally {
      if (this.client !== client) await client.end();
    }
  }

  private async holder(client: pg.Client): Promise<string> {
    const { rows: holders } = await client.query<{ pid: number; address: string | null; since: Date }>(
      `select a.pid, host(a.client_addr) as address, a.backend_start as since from pg_locks l join pg_stat_activity a on a.pid = l.pid
       where l.locktype = 'advisory' and l.granted and l.objid = (${KEY})::bigint & 4294967295 and a.datname = current_database()`,
    );
    const [holder] = holders;
    return holder
      ? `from ${holder.address ?? 'this machine'}, since ${holder.since.toISOString()}, database process ${holder.pid}`
      : 'it has just gone or come';
  }

  private lost(client: pg.Client): void {
    if (this.stopped || this.client !== client) return;
    this.client = null;
    this.log.warn('the database went away, and with it the right to be its only server: it is asked for again');
    void this.takeAgain();
  }

  private async takeAgain(): Promise<void> {
    for (let refused = 0; !this.stopped;) {
      try {
        const other = await this.tryToTake();
        if (other === null) return;
        // Its own connection of before may take a moment to end.
        if (++refused * AGAIN_MS >= PATIENCE_MS) return this.onTaken(other);
      } catch (error) {
        this.log.debug({ err: error }, 'the database is still away');
      }
      await wait(AGAIN_MS);
    }
  }
}
