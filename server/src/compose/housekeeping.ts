import type { Database } from '../database/connect';
import type { Job } from '../jobs/jobs';

/** Lines of a node's log that are kept; what was sent, told and said of supply and signal stays this many days. */
export const KEPT = { logLines: 1000, outboxDays: 30, commandDays: 90, factDays: 750 } as const;

/** Takes away what nobody looks up any more: old lines of nodes' logs, what was sent, commands that were answered. Alerts and readings stay. */
export async function tidy(database: Database): Promise<void> {
  await database.raw(
    `delete from node_log l using (
       select id, row_number() over (partition by node_id order by id desc) as place from node_log
     ) n where n.id = l.id and n.place > ?`,
    [KEPT.logLines],
  );
  await database.raw(
    `delete from outbox where (done_at is not null or failed_at is not null) and created_at < now() - ? * interval '1 day'`,
    [KEPT.outboxDays],
  );
  await database.raw(`delete from node_fact where at < now() - ? * interval '1 day'`, [KEPT.factDays]);
  await database.raw(`delete from command where issued < now() - ? * interval '1 day'`, [KEPT.commandDays]);
}

export const tidying = (database: Database): Job => ({
  name: 'tidy',
  failed: 'old lines could not be taken away',
  everyMinutes: 60,
  run: () => tidy(database),
});
