import { pino } from 'pino';
import { connect } from '../src/database/connect';
import { isDue, Jobs, type Job } from '../src/jobs/jobs';
import { eventually, freshDatabase } from './house';

const warned: string[] = [];
const log = pino({ level: 'warn' }, { write: (line: string) => void warned.push(line) });
let database: Awaited<ReturnType<typeof freshDatabase>>;
beforeAll(async () => {
  database = await freshDatabase();
});
afterAll(() => database.drop());

const queue = (...jobs: Job[]): Jobs => {
  const made = new Jobs({ databaseUrl: database.url, log, byClock: false, tickMs: 100 });
  made.add(...jobs);
  return made;
};
const job = (name: string, run: Job['run']): Job => ({ name, failed: 'it could not be done', everyMinutes: 60, run });

describe('the clock of the jobs', () => {
  it.each([
    [1, 100, 101, true],
    [60, 119, 120, true],
    [60, 120, 121, false],
    // Slept through the hour, or through three of them.
    [60, 110, 130, true],
    [60, 110, 310, true],
    [20, 100, 119, false],
    // Set back by ten minutes.
    [60, 130, 121, true],
    [null, 100, 160, false],
  ])('every %s minutes, from minute %i to %i: %s', (everyMinutes, before, now, due) =>
    expect(isDue({ everyMinutes }, before, now)).toBe(due),
  );
});

describe('jobs', () => {
  it('one asked for while it is under way is done once more after it, however often it was asked for, and never beside itself', async () => {
    let [under, most, runs] = [0, 0, 0];
    let open = (): void => undefined;
    const first = new Promise<void>((resolve) => (open = resolve));
    const jobs = queue(
      job('roll_up', async () => {
        most = Math.max(most, ++under);
        if (++runs === 1) await first;
        under--;
      }),
    );
    // Asked for before the queue stands, as what composes the house does.
    jobs.soon('roll_up');
    await jobs.start();
    await eventually(() => runs === 1, 'the first run');
    for (let i = 0; i < 5; i++) jobs.soon('roll_up');
    await eventually(async () => (await asked('roll_up')) === 5, 'all of them to be written down');
    open();
    await eventually(async () => runs === 2 && (await waiting('roll_up')) === 0, 'the second run');
    await jobs.stop();
    expect([runs, most]).toEqual([2, 1]);
  });

  it('one that fails is tried again, and keeps no other from being done', async () => {
    const done: string[] = [];
    let tries = 0;
    const jobs = queue(
      job('drop_months', () => (++tries === 1 ? Promise.reject(new Error('being read')) : Promise.resolve(void done.push('dropped')))),
      job('tidy', () => Promise.resolve(void done.push('tidied'))),
    );
    await jobs.start();
    jobs.soon('drop_months');
    await eventually(() => tries === 1, 'the try that fails');
    jobs.soon('tidy');
    await eventually(() => done.length === 2, 'both');
    await jobs.stop();
    expect([done, tries]).toEqual([['tidied', 'dropped'], 2]);
  });

  it('what a server that ends was asked for is done by the next; what is under way hears that it ends and comes to its own end', async () => {
    const heard: string[] = [];
    let began = false;
    const first = queue(
      job('convert_anew', async (ends) => {
        began = true;
        await new Promise<void>((resolve) => ends.addEventListener('abort', () => resolve()));
        heard.push('ended');
      }),
    );
    await first.start();
    first.soon('convert_anew');
    await eventually(() => began, 'it to begin');
    first.soon('convert_anew');
    await eventually(async () => (await waiting('convert_anew')) === 1, 'the second to be kept');
    await first.stop();
    expect(heard).toEqual(['ended']);
    const next = queue(job('convert_anew', () => Promise.resolve(void heard.push('done'))));
    await next.start();
    await eventually(() => heard.length === 2, 'the one that was left');
    await next.stop();
    expect(heard).toEqual(['ended', 'done']);
  });

  it('what a server that was killed had under way is done by the next', async () => {
    let runs = 0;
    const asked = queue(job('tidy', () => Promise.resolve()));
    await asked.start();
    await asked.stop();
    // As it is left by one that is no more: asked for, and locked by nobody who lives.
    await sql(`select graphile_worker.add_job('tidy', '{}'::json, queue_name := 'tidy', job_key := 'tidy')`);
    await sql(`update graphile_worker._private_jobs set locked_at = now(), locked_by = 'worker-gone', attempts = 1`);
    await sql(`update graphile_worker._private_job_queues set locked_at = now(), locked_by = 'worker-gone'`);
    const next = queue(job('tidy', () => Promise.resolve(void runs++)));
    await next.start();
    await eventually(() => runs === 1, 'what was under way');
    await next.stop();
  });

  it('what is asked for while the database is away is asked for again, and done once it is back; so is what is under way', async () => {
    let runs = 0;
    const jobs = queue(job('all_well', () => Promise.resolve(void runs++)));
    await jobs.start();
    await database.goAway();
    const before = warned.length;
    jobs.soon('all_well');
    await eventually(() => warned.slice(before).some((line) => line.includes('could not be asked for')), 'it to be refused');
    expect(runs).toBe(0);
    await database.comeBack();
    await eventually(() => runs === 1, 'it to be done once the database is back');
    await jobs.stop();
  });

  async function sql(text: string): Promise<{ n?: number }[]> {
    const pool = connect(database.url, 1);
    const { rows } = await pool.raw<{ rows: { n?: number }[] }>(text);
    await pool.destroy();
    return rows;
  }

  /** Jobs of a name that are kept and not under way. */
  const waiting = async (name: string): Promise<number> =>
    (
      await sql(
        `select count(*)::int as n from graphile_worker.jobs where locked_at is null and attempts = 0 and task_identifier = '${name}'`,
      )
    )[0]?.n ?? 0;
  /** How often one was asked for that waits: the queue counts what replaces it. */
  const asked = async (name: string): Promise<number> =>
    (
      await sql(
        `select coalesce(max(revision), 0)::int + 1 as n from graphile_worker.jobs where locked_at is null and task_identifier = '${name}'`,
      )
    )[0]?.n ?? 0;
});
