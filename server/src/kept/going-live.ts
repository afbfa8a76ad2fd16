import type { Kept } from '@dewpost/contract';
import { LEVELS } from '@dewpost/core/series';
import type { Database } from '../database/connect';
import type { Hub } from '../events/hub';
import { changeNode, laneOf, tellNode } from '../model/node-change';
import { writeNodeLog } from '../model/node-log';
import type { NodeEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { ProblemError } from '../problem/problem';
import { markSpan } from '../record/marks';
import { LEVEL_CODE, quarterBegin } from '../record/rows';
import type { Store } from '../store/change';

/** When nodes went live: what they sent before lies there as trials, and is in no figure; it can be deleted. */
export class GoingLive {
  /** `changed`: some of the record is due to be rolled up. */
  constructor(
    private readonly parts: { store: Store; database: Database; registry: Registry; hub: Hub; changed: () => void; now?: () => number },
  ) {}

  async view(): Promise<Kept['live']> {
    const { rows } = await this.parts.database.raw<{ rows: { node: string; since: number; trials: number }[] }>(
      `select n.name as node, round(extract(epoch from n.live_since) * 1000)::float8 as since, coalesce(sum(t.count), 0)::int as trials
       from node n left join point p on p.node_id = n.id left join lateral (
         select count(*) as count from reading r where r.point_id = p.id and r.at < n.live_since
       ) t on true
       where n.live_since is not null and n.retired_at is null group by n.id order by n.id`,
    );
    return rows;
  }

  /** Moves the marker of a node; what it moved over is rolled up anew, without its trials or with what is none any more. */
  async set(node: NodeEntry, since: number | null, by: string): Promise<void> {
    const now = (this.parts.now ?? Date.now)();
    if (since !== null && since > now)
      throw new ProblemError(422, 'Cannot be used', 'body.since lies ahead: a node goes live now, or went live before.');
    await this.parts.store.commitInTurn(laneOf(node), async (change) => {
      if (since === node.liveSince) return;
      const points = [...node.points.values()].map(({ id }) => id);
      const [from, to] = [Math.min(node.liveSince ?? 0, since ?? 0), Math.max(node.liveSince ?? 0, since ?? 0)];
      // Raw readings that are gone cannot be rolled up again: what was made of them stays.
      const span = [quarterBegin(Math.max(from, this.parts.registry.rawFrom)), quarterBegin(to) + LEVELS.quarter] as const;
      await changeNode(change, node, { live_since: since === null ? null : new Date(since) }, { liveSince: since });
      await markSpan(change.trx, points, ...span);
      await change.trx.raw(
        `delete from rollup where point_id = any (?::int[]) and at >= to_timestamp(?::float8 / 1000.0) and at < to_timestamp(?::float8 / 1000.0) and level < ${LEVEL_CODE.day}`,
        [points, ...span],
      );
      const text =
        since === null
          ? `all that it sent counts, by ${by}`
          : `live since ${new Date(since).toISOString()}: what it sent before were trials, by ${by}`;
      await writeNodeLog(change.trx, [{ node, level: 'info', text }]);
      tellNode(change, this.parts.hub, node);
      change.tell(() => this.parts.changed());
    });
  }

  /** Deletes what a node sent before it went live. Gives how many readings that were; throws 409 where it has no marker. */
  async removeTrials(node: NodeEntry, by: string): Promise<number> {
    return this.parts.store.commitInTurn(laneOf(node), async ({ trx }) => {
      if (node.liveSince === null)
        throw new ProblemError(409, 'Not live', `${node.title} has no time since when it is live: say that first.`);
      const { rows } = await trx.raw<{ rows: { count: number }[] }>(
        `with gone as (delete from reading where point_id = any (?::int[]) and at < to_timestamp(?::float8 / 1000.0) returning 1)
         select count(*)::int as count from gone`,
        [[...node.points.values()].map(({ id }) => id), node.liveSince],
      );
      const removed = rows[0]?.count ?? 0;
      await writeNodeLog(trx, [{ node, level: 'warning', text: `${removed} trial readings deleted by ${by}` }]);
      return removed;
    });
  }
}
