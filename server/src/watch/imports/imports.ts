import type { Import, ImportSettings } from '@dewpost/contract';
import { mkdir, rename, rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { Readable } from 'node:stream';
import type { Logger } from 'pino';
import type { Database } from '../../database/connect';
import type { HouseEvents } from '../../model/house-events';
import type { Registry } from '../../model/registry';
import { notFound, ProblemError } from '../../problem/problem';
import { NOTHING_FOUND, Pass, type Found } from './pass';
import { asksOf, notice, type Noticed } from './settings';
import { removeReadings, storeReadings } from './store-readings';
import { takeFile, headOf } from './file';

type Stored = Found & Pick<Noticed, 'evidence' | 'columns' | 'sample'>;
interface Row {
  id: number;
  name: string;
  bytes: string;
  state: Import['state'];
  error: string | null;
  settings: ImportSettings;
  found: Stored;
  made_by: string;
  made_at: Date;
}

const STORED_AT_ONCE = 2;

/** Files of readings from elsewhere: looked through, kept, and taken away whole. One at a time, behind everything else. */
export class Imports {
  private readonly running = new Map<number, { pass: Pass; abort: AbortController; done: Promise<void> }>();
  private queue: Promise<void> = Promise.resolve();
  private closing = false;

  /** `changed`: much of the record is due to be rolled up. */
  constructor(
    private readonly parts: {
      database: Database;
      registry: Registry;
      dataDirectory: string;
      log: Logger;
      events: HouseEvents;
      changed: () => void;
    },
  ) {}

  private folder = (): string => join(this.parts.dataDirectory, 'imports');
  private fileOf = (id: number): string => join(this.folder(), `${id}.csv`);

  /** What an end of the server cut off goes on: looked through again, kept on (what is stored already is there already), taken away. */
  async goOn(): Promise<void> {
    const rows = (await this.parts.database('import').whereIn('state', ['reading', 'keeping', 'removing'])) as Row[];
    for (const row of rows)
      void this.enqueue(row.id, row.state === 'removing' ? () => this.removeNow(row.id) : () => this.run(row.id, row.state === 'keeping'));
  }

  async close(): Promise<void> {
    this.closing = true;
    for (const { abort } of this.running.values()) abort.abort();
    await this.queue;
  }

  async list(): Promise<Import[]> {
    return ((await this.parts.database('import').orderBy('id', 'desc').limit(100)) as Row[]).map((row) => this.view(row));
  }

  async one(id: number): Promise<Import> {
    return this.view(await this.row(id));
  }

  /** Takes a file in and begins to look through it; nothing of it is stored as a reading unless `keep` says so and nothing has to be asked. */
  async add(
    body: Readable,
    given: { name: string; settings: (noticed: Noticed) => ImportSettings; keep: boolean; by: string },
  ): Promise<Import> {
    await mkdir(this.folder(), { recursive: true });
    const temporary = join(this.folder(), `${crypto.randomUUID()}.part`);
    try {
      const bytes = await takeFile(body, temporary);
      const noticed = notice(await headOf(temporary));
      const settings = given.settings(noticed);
      const { evidence, columns, sample } = noticed;
      const [row] = (await this.parts
        .database('import')
        .insert({
          name: given.name,
          bytes,
          state: 'reading',
          settings: JSON.stringify(settings),
          found: JSON.stringify({ ...NOTHING_FOUND, evidence, columns, sample } satisfies Stored),
          made_by: given.by,
        })
        .returning('*')) as Row[];
      if (!row) throw new Error('an import was not written');
      await rename(temporary, this.fileOf(row.id));
      const ready = asksOf(this.parts.registry, settings, columns, sample).length === 0;
      if (given.keep && ready) await this.begin(row.id, 'keeping');
      else await this.begin(row.id, 'reading');
      return await this.one(row.id);
    } finally {
      await rm(temporary, { force: true });
    }
  }

  /** Reads it otherwise. Throws 409 once it is being kept. */
  async change(id: number, settings: ImportSettings): Promise<Import> {
    const row = await this.row(id);
    if (!['read', 'reading', 'failed'].includes(row.state))
      throw new ProblemError(409, 'Kept already', 'It is kept as it was read: remove it to take it in otherwise.');
    await this.stop(id);
    await this.parts
      .database('import')
      .where({ id })
      .update({ settings: JSON.stringify(settings) });
    await this.begin(id, 'reading');
    return this.one(id);
  }

  async keep(id: number): Promise<Import> {
    const row = await this.row(id);
    const asks = asksOf(this.parts.registry, row.settings, row.found.columns, row.found.sample);
    if (asks.length > 0) throw new ProblemError(422, 'Not yet', asks.join(' '));
    if (row.state !== 'read' && row.state !== 'failed')
      throw new ProblemError(409, 'Not yet', `It is ${row.state}: wait until it has been read.`);
    await this.begin(id, 'keeping');
    return this.one(id);
  }

  /** Ends it, or takes it away: every reading that came with it, and its file. */
  async remove(id: number): Promise<void> {
    await this.row(id);
    await this.stop(id);
    await this.parts.database('import').where({ id }).update({ state: 'removing' });
    await this.enqueue(id, () => this.removeNow(id));
  }

  private async begin(id: number, state: 'reading' | 'keeping'): Promise<void> {
    await this.parts.database('import').where({ id }).update({ state, error: null });
    void this.enqueue(id, () => this.run(id, state === 'keeping'));
  }

  private async stop(id: number): Promise<void> {
    const running = this.running.get(id);
    running?.abort.abort();
    await running?.done;
  }

  private enqueue(id: number, work: () => Promise<void>): Promise<void> {
    this.queue = this.queue.then(async () => {
      if (this.closing) return;
      try {
        await work();
      } catch (error) {
        if (this.closing) return;
        this.parts.log.error({ err: error, import: id }, 'a file could not be taken in');
        const words =
          error instanceof ProblemError
            ? error.message
            : `It could not be gone through (${error instanceof Error ? error.message : String(error)}). What was stored of it is marked: try again, or remove it.`;
        await this.parts
          .database('import')
          .where({ id })
          .update({ state: 'failed', error: words.slice(0, 500) })
          .catch((failed: unknown) => this.parts.log.error({ err: failed }, 'and that could not be noted'));
      }
    });
    return this.queue;
  }

  private async run(id: number, keep: boolean): Promise<void> {
    const { database, registry } = this.parts;
    const row = (await database('import').where({ id }).first()) as Row | undefined;
    if (!row || row.state !== (keep ? 'keeping' : 'reading')) return;
    const { columns, sample, evidence } = row.found;
    const pass = new Pass(registry, { path: this.fileOf(id), bytes: Number(row.bytes), columns }, row.settings, Date.now());
    const abort = new AbortController();
    const work = this.goThrough(id, keep, pass, abort.signal, { columns, sample, evidence });
    this.running.set(id, { pass, abort, done: work.catch(() => undefined) });
    try {
      await work;
    } finally {
      this.running.delete(id);
    }
  }

  private async goThrough(
    id: number,
    keep: boolean,
    pass: Pass,
    signal: AbortSignal,
    head: Pick<Stored, 'columns' | 'sample' | 'evidence'>,
  ): Promise<void> {
    const { database } = this.parts;
    // What was stored before a crash is ours, and no reading that was there already.
    const before = keep ? await this.countOf(id) : 0;
    let present = 0;
    // Two batches are stored while the next is read.
    const storing: Promise<number>[] = [];
    try {
      for await (const batch of pass.batches(signal)) {
        if (storing.length >= STORED_AT_ONCE) present += (await storing.shift()) ?? 0;
        if (signal.aborted) break;
        if (!keep) continue;
        const stored = storeReadings(database, id, batch);
        // A failure is met where it is waited for; until then it is nobody's.
        stored.catch(() => undefined);
        storing.push(stored);
      }
      for (const stored of storing) present += await stored;
      if (signal.aborted) return;
    } catch (error) {
      if (signal.aborted) return;
      throw error;
    } finally {
      // Whatever ended it: what is on its way into the record has arrived before anybody takes the rest of it away.
      await Promise.allSettled(storing);
    }
    pass.present(Math.max(0, present - before));
    const found: Stored = { ...pass.found, ...head };
    await database('import')
      .where({ id })
      .update({ state: keep ? 'kept' : 'read', found: JSON.stringify(found) });
    if (keep) await this.rewritten(id);
  }

  /** What an import brought is there, or is about to go: whatever is made of it follows. */
  private async rewritten(id: number): Promise<void> {
    const { points, first } = await this.spanOf(id);
    if (points.length > 0 && first !== null)
      await this.parts.events.settle('rewritten', { points: points.map((point) => ({ id: point })), from: Math.floor(first) });
    this.parts.changed();
  }

  private async countOf(id: number): Promise<number> {
    const { rows } = await this.parts.database.raw<{ rows: { count: number }[] }>(
      'select count(*)::int as count from reading where import_id = ?',
      [id],
    );
    return rows[0]?.count ?? 0;
  }

  /** Points and times of what an import brought that is still there, ms. */
  private async spanOf(id: number): Promise<{ points: number[]; first: number | null; last: number | null }> {
    const { rows } = await this.parts.database.raw<{ rows: { points: number[] | null; first: number | null; last: number | null }[] }>(
      `select array_agg(distinct point_id) as points, (extract(epoch from min(at)) * 1000)::float8 as first, (extract(epoch from max(at)) * 1000)::float8 as last
       from reading where import_id = ?`,
      [id],
    );
    const [span] = rows;
    return { points: span?.points ?? [], first: span?.first ?? null, last: span?.last ?? null };
  }

  private async removeNow(id: number): Promise<void> {
    const { database, events } = this.parts;
    const { points, first, last } = await this.spanOf(id);
    if (first !== null && last !== null) await removeReadings(database, id, points, Math.floor(first), Math.ceil(last));
    await rm(this.fileOf(id), { force: true });
    await database('import').where({ id }).delete();
    if (first !== null) await events.settle('rewritten', { points: points.map((point) => ({ id: point })), from: Math.floor(first) });
    this.parts.changed();
  }

  private async row(id: number): Promise<Row> {
    const row = (await this.parts.database('import').where({ id }).first()) as Row | undefined;
    if (!row) throw notFound(`import ${id}`);
    return row;
  }

  private view(row: Row): Import {
    const { registry } = this.parts;
    const pass = this.running.get(row.id)?.pass;
    const { evidence, columns, sample, ...found } = { ...row.found, ...pass?.found };
    const done = row.state === 'read' || row.state === 'kept';
    return {
      ...found,
      id: row.id,
      name: row.name,
      bytes: Number(row.bytes),
      state: row.state,
      progress: done ? 1 : (pass?.progress ?? 0),
      error: row.error,
      settings: row.settings,
      evidence,
      columns,
      sample,
      asks: asksOf(registry, row.settings, columns, sample),
      madeBy: row.made_by,
      madeAt: row.made_at.getTime(),
    };
  }
}
