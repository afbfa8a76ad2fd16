import {
  alertCounts,
  alertLife,
  drills,
  followers as follow,
  respond,
  routes,
  tripTests,
  type Alert,
  type CsvReply,
  type Notice,
} from '@dewpost/contract';
import { Router, text as textBody } from 'express';
import type { Database } from '../database/connect';
import type { Engine } from '../engine/engine';
import { alertRows, alertView, type AlertRow } from '../engine/alert-rows';
import { bind, bindRaw } from '../http/bind';
import { countAlerts } from './alert-counts';
import { notFound, ProblemError } from '../problem/problem';
import type { Hub } from '../events/hub';
import { recentAlerts, recentDeliveries } from '../live/snapshot';
import type { HouseEvents } from '../model/house-events';
import type { Nodes } from '../nodes/nodes';
import type { Registry } from '../model/registry';
import type { Habits } from '../record/habits';
import type { Store } from '../store/change';
import type { Drills } from './drills/drills';
import type { Followers } from './followers';
import { Interlocks } from './interlocks';
import type { Lockouts } from './lockouts';
import type { OutputLimitsBook } from './output-limits';
import { resetAlert } from './reset-alert';
import type { Shelves } from './shelves';
import type { TripTests } from './trip-tests';
import { allSafe, switchByHand, type Hands } from './switching';
import type { RoutePlans } from '../ways/route-plans';
import type { OpenPages } from '../ways/open-pages';
import type { Ways } from '../ways/ways';
import { takeThresholdsCsv, thresholdsCsv } from './threshold-csv';
import { Thresholds } from './thresholds';
import { Timetables } from './timetables';
import { AlertLives } from './alert-lives';

/** A way that somebody is to be told by is not taken from under the route, or the rule, that says so. Throws 409. */
function refuseWayInUse({ registry, routePlans }: { registry: Registry; routePlans: RoutePlans }, id: number): void {
  const rule = [...registry.thresholds.values()].find((one) => one.rule.route?.includes(id));
  const where = rule ? `the rule on ${rule.point.body.label} of ${rule.point.node.title}` : routePlans.tellsBy(id) ? 'Routes' : null;
  if (where !== null)
    throw new ProblemError(
      409,
      'Somebody is told by it',
      `${where} name${rule ? 's' : ''} it: change that first, so that nobody waits in vain.`,
    );
}

interface NoticeRow extends Omit<Notice, 'id' | 'threshold' | 'point' | 'at'> {
  id: string;
  threshold_id: number | null;
  point_id: number | null;
  at: Date;
}

/** Thresholds, alerts, outputs and messages. */
export function respondRoutes(parts: {
  store: Store;
  database: Database;
  registry: Registry;
  engine: Engine;
  hub: Hub;
  nodes: Nodes;
  habits: Habits;
  ways: Ways;
  pages: OpenPages;
  routePlans: RoutePlans;
  lockouts: Lockouts;
  shelves: Shelves;
  events: HouseEvents;
  drills: Drills;
  outputLimits: OutputLimitsBook;
  followers: Followers;
  tripTests: TripTests;
}): Router {
  const { database, registry, engine, hub } = parts;
  const { ways } = parts;
  const thresholds = new Thresholds({ ...parts, ways: ways.rules });
  const timetables = new Timetables(parts);
  const { outputLimits } = parts;
  const hands: Hands = new Map();
  const interlocks = new Interlocks(parts);
  const lives = new AlertLives(parts);
  const router = Router();
  bind(router, respond.thresholds, () => [...registry.thresholds.values()].map((entry) => engine.thresholdView(entry)));
  bind(router, respond.addThreshold, async ({ body, me }) => {
    const { point, others, ...rule } = body;
    return engine.thresholdView(await thresholds.add(point, rule, me?.name ?? '', others));
  });
  bind(router, respond.previewThreshold, async ({ body }) => {
    const { point, ...rule } = body;
    const said = thresholds.preview(point, rule);
    return { ...said, reads: await ways.reads(said) };
  });
  bind(router, respond.changeThreshold, async ({ params, body, me }) => {
    const { from, why, others, ...rule } = body;
    return engine.thresholdView(await thresholds.change({ id: params.id, from, others }, rule, me?.name ?? '', why));
  });
  bind(router, respond.thresholdVersions, ({ params }) => thresholds.versions(params.id));
  bind(router, respond.retireThreshold, async ({ params, me }) => {
    await thresholds.retire(params.id, me?.name ?? '');
    return {};
  });
  bindRaw(router, respond.thresholdsCsv, ({ response }) => {
    response.setHeader('Cache-Control', 'no-store');
    response.type('text/csv').attachment('rules.csv').send(thresholdsCsv(registry));
  });
  bindRaw(
    router,
    respond.setThresholdsCsv,
    async ({ request, response, me }) => {
      const preview = request.query['preview'] === 'true';
      const text = typeof request.body === 'string' ? request.body : '';
      const changes = await takeThresholdsCsv({ registry, thresholds }, text, me?.name ?? '', preview);
      const refused = changes.some(({ what }) => what === 'refused');
      response.status(refused && !preview ? 422 : 200).json({ preview, taken: !preview && !refused, changes } satisfies CsvReply);
    },
    textBody({ type: ['text/csv', 'text/plain'], limit: '2mb' }),
  );
  bind(router, respond.alerts, ({ query }) => recentAlerts(database, query.limit, query.state === 'open', true));
  bind(router, alertCounts.read, ({ query }) => countAlerts(database, query.days, Date.now()));
  bind(router, respond.notices, async ({ query }) => {
    const rows = (await database('notice as c')
      .join('node as n', 'n.id', 'c.node_id')
      .orderBy('c.id', 'desc')
      .limit(query.limit)
      .select('c.*', 'n.name as node')) as NoticeRow[];
    return rows.map(({ id, threshold_id: threshold, point_id: point, at, ...notice }) => ({
      ...notice,
      id: Number(id),
      threshold,
      point,
      at: at.getTime(),
    }));
  });
  bind(router, respond.ways, () => ways.list());
  bind(router, respond.addWay, ({ body, me }) => ways.add(body, me?.name ?? ''));
  bind(router, respond.removeWay, async ({ params }) => {
    refuseWayInUse(parts, params.id);
    await ways.remove(params.id);
    return {};
  });
  bind(router, follow.list, () => parts.followers.list());
  bind(router, follow.add, ({ body, me }) => parts.followers.add(body, me?.name ?? ''));
  bind(router, follow.remove, ({ params }) => parts.followers.remove(params.id));
  bind(router, respond.setLimits, ({ params, body, me }) => outputLimits.set(params.id, body, me?.name ?? ''));
  bind(router, respond.pushKey, async () => ({ publicKey: (await ways.identity()).publicKey }));
  bind(router, respond.taken, ({ params, me }) => ({ awaited: parts.pages.taken(params.id, me?.name ?? '') }));
  bind(router, respond.testWay, ({ params, me }) => ways.test(params.id, me?.name ?? ''));
  /** Written for all or none, then told; what somebody had seen already keeps that name and time. */
  const acknowledge = (ids: readonly number[], by: string): Promise<Alert[]> => {
    const { store } = parts;
    return engine.work(() =>
      store.commit(async (change) => {
        const changed = (await change
          .trx('alert')
          .whereIn('id', ids)
          .whereNull('acknowledged_at')
          .update({ acknowledged_at: new Date(), acknowledged_by: by })
          .returning('id')) as { id: number }[];
        if (changed.length > 0)
          await change.trx('alert_event').insert(changed.map(({ id }) => ({ alert_id: id, what: 'acknowledged', by_whom: by })));
        const alerts = ((await alertRows(change.trx).whereIn('a.id', ids)) as AlertRow[]).map(alertView);
        change.apply(() => engine.replaced(alerts));
        change.tell(() => {
          hub.publish(alerts.map((alert) => ({ type: 'alert', alert })));
          parts.events.tell('acknowledged', ids);
        });
        return alerts;
      }),
    );
  };
  bind(router, routes.read, () => parts.routePlans.view());
  bind(router, routes.write, ({ body, me }) => parts.routePlans.change(body.from, body.plan, me?.name ?? ''));
  bind(router, respond.acknowledgeMany, ({ body, me }) => acknowledge(body.ids, me?.name ?? ''));
  bind(router, respond.acknowledge, async ({ params, me }) => {
    const [alert] = await acknowledge([params.id], me?.name ?? '');
    if (!alert) throw notFound(`alert ${params.id}`);
    return alert;
  });
  bind(router, respond.resetAlert, ({ params, me }) => resetAlert(parts, params.id, me?.name ?? ''));
  bind(router, alertLife.read, ({ params }) => lives.read(params.id));
  bind(router, alertLife.write, ({ params, body, me }) => lives.write(params.id, body, me?.name ?? ''));
  bind(router, respond.shelve, ({ params, body, me }) => parts.shelves.shelve(params.id, body, me?.name ?? ''));
  bind(router, respond.takeOffShelf, ({ params, me }) => parts.shelves.takeOff(params.id, me?.name ?? ''));
  bind(router, respond.relays, () =>
    [...registry.points.values()].filter((point) => point.body.output).map((output) => engine.relayView(output, Date.now())),
  );
  bind(router, respond.interlocks, () => interlocks.list());
  bind(router, respond.addInterlock, ({ body, me }) => interlocks.add(body.winner, body.loser, me?.name ?? ''));
  bind(router, respond.removeInterlock, ({ params, me }) => interlocks.remove(params.id, me?.name ?? ''));
  bind(router, respond.allSafe, ({ body, me }) => allSafe(parts, body.reason, me?.name ?? ''));
  bind(router, respond.switchRelay, ({ params, body, me }) => switchByHand({ registry, engine, hands }, params.id, body, me?.name ?? ''));
  bind(router, respond.lockRelay, ({ params, body, me }) => parts.lockouts.lock(params.id, body, me?.name ?? ''));
  bind(router, respond.unlockRelay, ({ params, me }) => parts.lockouts.unlock(params.id, me?.name ?? '', me?.role === 'maker'));
  bind(router, respond.setTimetable, ({ params, body, me }) => timetables.set(params.id, body, me?.name ?? ''));
  bind(router, tripTests.list, () => parts.tripTests.list());
  bind(router, tripTests.begin, ({ params, me }) => parts.tripTests.begin(params.id, me?.name ?? ''));
  bind(router, tripTests.stop, ({ params, me }) => parts.tripTests.stopTest(params.id, me?.name ?? ''));
  bind(router, drills.list, () => parts.drills.list());
  bind(router, drills.begin, ({ params, me }) => parts.drills.begin(params.kind, me?.name ?? ''));
  bind(router, drills.stop, ({ params, me }) => parts.drills.stopDrill(params.id, me?.name ?? ''));
  bind(router, respond.deliveries, () => recentDeliveries(database, 200));
  return router;
}
