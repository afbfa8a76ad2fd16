import { HABIT_WEEKS, learnHabit, type Habit } from '@dewpost/core/alarm';
import type { Database } from '../database/connect';
import type { Job } from '../jobs/jobs';
import type { PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { LEVEL_CODE } from './rows';

const WEEK_MS = 7 * 86_400_000;

/** What is usual at a point, learnt from the quarters of an hour of its last weeks, up to `now` (ms). */
export async function readHabit(database: Database, point: number, zone: string, now: number): Promise<Habit> {
  const { rows } = await database.raw<{ rows: { at: number; mean: number }[] }>(
    `select round(extract(epoch from at) * 1000)::float8 as at, (total / count)::float8 as mean from rollup
     where point_id = ? and level = ${LEVEL_CODE.quarter} and at >= ? and at < ? and count > 0`,
    [point, new Date(now - HABIT_WEEKS * WEEK_MS), new Date(now)],
  );
  return learnHabit(rows, zone);
}

/** Habits that rules are judged by: learnt when such a rule is armed and at the start, and anew each day. */
export class Habits {
  constructor(private readonly parts: { database: Database; registry: Registry }) {}

  readonly job: Job = {
    name: 'habits',
    failed: 'what is usual could not be learnt anew',
    everyMinutes: 60,
    run: () => this.learnDue(Date.now()),
  };
  private learntAt = -Infinity;

  /** Learns what is usual at a point, for its rules from now on. */
  async learn(point: PointEntry): Promise<Habit> {
    const { database, registry } = this.parts;
    const habit = await readHabit(database, point.id, registry.timezone, Date.now());
    registry.putHabit(point, habit);
    return habit;
  }

  /** Every point that a rule wants it of. */
  async learnAll(): Promise<void> {
    this.learntAt = Date.now();
    const wanted = [...this.parts.registry.thresholds.values()].filter(({ rule }) => rule.judges?.kind === 'usual');
    for (const point of new Set(wanted.map(({ point: of }) => of))) await this.learn(point);
  }

  private async learnDue(now: number): Promise<void> {
    if (now - this.learntAt >= WEEK_MS / 7) await this.learnAll();
  }
}
