import type { Kept } from '@dewpost/contract';
import { monthSpan, monthsThatGo } from '@dewpost/core/series';
import type { Logger } from 'pino';
import type { Database, Transaction } from '../database/connect';
import type { Job } from '../jobs/jobs';
import type { Registry } from '../model/registry';
import { changedMeanwhile } from '../problem/problem';
import { editionOf, nextEdition } from '../store/edition';
import type { Store } from '../store/change';
import { sqlState } from '../store/sql-state';

const WHAT = 'rule of what is kept';
/** A month that readers hold is left for the next look rather than let intake wait behind it. */
const LOCK_MS = 1000;
const LOCKED = '55P03';

type Stored = Kept['stored'];

/** Raw readings are kept for so many months; what is older goes a month at a time, whole. What was rolled up of it stays. */
export class Retention {
  constructor(
    private readonly parts: {
      store: Store;
      database: Database;
      registry: Registry;
      log: Logger;
      /** Another rule is in force. */
      changed(): void;
      now?: () => number;
    },
  ) {}

  private readonly now = (): number => (this.parts.now ?? Date.now)();

  async view(): Promise<Omit<Kept, 'live'>> {
    return this.read(this.parts.database);
  }

  /** Sets the rule. Throws 409, with what is in force, where other months would go by it than whoever set it has seen. */
  async set(given: { from: number; months: number | null; drops: readonly string[] }): Promise<void> {
    await this.parts.store.commitInTurn('retention', async ({ trx }) => {
      const current = (): Promise<Omit<Kept, 'live'>> => this.read(trx);
      await nextEdition(trx, WHAT, given.from, current);
      const { stored } = await current();
      const go = monthsThatGo(
        stored.map(({ month }) => month),
        given.months,
        this.now(),
      );
      if (go.join() !== [...given.drops].sort().join())
        throw changedMeanwhile('list of months that go', given.from, given.from, await current());
      await trx('site').update({ raw_months: given.months });
    });
    this.parts.changed();
  }

  /** Looks each hour, and when the rule has changed. */
  readonly job: Job = {
    name: 'drop_months',
    failed: 'old months could not be dropped',
    everyMinutes: 60,
    run: async () => void (await this.drop()),
  };

  /** Drops the months that the rule lets go of, oldest first; one that is not rolled up yet, or is being read, waits. Gives what went. */
  async drop(): Promise<string[]> {
    const { database, log } = this.parts;
    const { raw_months: months } = (await database('site').first('raw_months')) as { raw_months: number | null };
    const gone: string[] = [];
    for (const month of monthsThatGo(await monthsOf(database), months, this.now())) {
      if (!(await this.dropMonth(month))) break;
      gone.push(month);
    }
    if (gone.length > 0) log.info({ months: gone }, 'raw readings of these months have gone, as the rule of what is kept says');
    return gone;
  }

  private async dropMonth(month: string): Promise<boolean> {
    const { store, registry, log } = this.parts;
    const { from, to } = monthSpan(month);
    const table = `reading_${month.replace('-', '_')}`;
    try {
      return await store.commitInTurn('retention', async (change) => {
        const { trx } = change;
        await trx.raw(`set local lock_timeout = ${LOCK_MS}`);
        // Whoever is storing in it has committed, and its marks are seen; nobody stores in it any more. All of the readings first, as whoever
        // reads does: locked the other way round, the two would wait for each other.
        await trx.raw(`lock table reading in access exclusive mode`);
        const due = (await trx('rollup_due')
          .where('at', '>=', new Date(from))
          .andWhere('at', '<', new Date(to))
          .first('point_id')) as unknown;
        if (due) return false;
        await trx.raw(`drop table ${table}`);
        await trx.raw(`update site set raw_from = greatest(raw_from, ?::timestamptz)`, [new Date(to)]);
        change.apply(() => (registry.rawFrom = Math.max(registry.rawFrom, to)));
        return true;
      });
    } catch (error) {
      if (sqlState(error) !== LOCKED) throw error;
      log.info({ month }, 'a month that is to go is being read: it is tried again');
      return false;
    }
  }

  private async read(database: Database | Transaction): Promise<Omit<Kept, 'live'>> {
    const site = (await database('site').first('raw_months', 'raw_from')) as { raw_months: number | null; raw_from: Date | null };
    const { rows } = await database.raw<{ rows: { bytes: string }[] }>(
      `select pg_database_size(current_database()) - coalesce((select sum(pg_total_relation_size(inhrelid)) from pg_inherits where inhparent = 'reading'::regclass), 0) as bytes`,
    );
    return {
      version: await editionOf(database, WHAT),
      months: site.raw_months,
      rawFrom: site.raw_from?.getTime() ?? null,
      stored: await storedOf(database),
      otherBytes: Number(rows[0]?.bytes ?? 0),
    };
  }
}

/** Months that have a part of the store of their own. */
async function monthsOf(database: Database | Transaction): Promise<string[]> {
  const { rows } = await database.raw<{ rows: { name: string }[] }>(
    `select c.relname as name from pg_inherits i join pg_class c on c.oid = i.inhrelid where i.inhparent = 'reading'::regclass order by 1`,
  );
  return rows.map(({ name }) => name.replace(/^reading_(\d{4})_(\d{2})$/, '$1-$2'));
}

/** How many points and days a month has is told by the days that were rolled up: the readings themselves are not gone through. */
async function storedOf(database: Database | Transaction): Promise<Stored> {
  const { rows } = await database.raw<{ rows: { month: string; bytes: string; points: number; days: number }[] }>(
    `with m as (
       select to_date(right(c.relname, 7), 'YYYY_MM')::timestamp at time zone 'UTC' as begins, pg_total_relation_size(c.oid) as bytes
       from pg_inherits i join pg_class c on c.oid = i.inhrelid where i.inhparent = 'reading'::regclass
     )
     select to_char(m.begins at time zone 'UTC', 'YYYY-MM') as month, m.bytes, count(distinct r.point_id)::int as points, count(distinct r.at)::int as days
     from m left join rollup r on r.level = 2 and r.at >= m.begins and r.at < m.begins + interval '1 month'
     group by m.begins, m.bytes order by m.begins`,
  );
  return rows.map(({ bytes, ...row }) => ({ ...row, bytes: Number(bytes) }));
}
