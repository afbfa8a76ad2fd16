import { respond } from '@dewpost/contract';
import { Router } from 'express';
import type { Database } from '../database/connect';
import type { Engine } from '../engine/engine';
import { alertRows, alertView } from '../engine/ledger';
import { bind } from '../http/bind';
import { notFound } from '../http/problem';
import type { Hub } from '../live/hub';
import { recentAlerts, recentDeliveries } from '../live/snapshot';
import type { Nodes } from '../site/nodes';
import type { Registry } from '../site/registry';
import { switchByHand } from './switching';
import { Thresholds } from './thresholds';

/** Thresholds, alerts, outputs and messages. */
export function respondRoutes(parts: { database: Database; registry: Registry; engine: Engine; hub: Hub; nodes: Nodes }): Router {
  const { database, registry, engine } = parts;
  const thresholds = new Thresholds(parts);
  const router = Router();
  bind(router, respond.thresholds, () => [...registry.thresholds.values()].map((entry) => engine.thresholdView(entry)));
  bind(router, respond.addThreshold, async ({ body, me }) => {
    const { point, ...rule } = body;
    return engine.thresholdView(await thresholds.add(point, rule, me?.name ?? ''));
  });
  bind(router, respond.changeThreshold, async ({ params, body, me }) =>
    engine.thresholdView(await thresholds.change(params.id, body, me?.name ?? '')),
  );
  bind(router, respond.retireThreshold, async ({ params, me }) => {
    await thresholds.retire(params.id, me?.name ?? '');
    return {};
  });
  bind(router, respond.alerts, ({ query }) => recentAlerts(database, query.limit, query.state === 'open'));
  bind(router, respond.acknowledge, async ({ params, me }) => {
    const by = me?.name ?? '';
    await database.transaction(async (trx) => {
      const changed = await trx('alert')
        .where({ id: params.id })
        .whereNull('acknowledged_at')
        .update({ acknowledged_at: new Date(), acknowledged_by: by });
      if (changed > 0) await trx('alert_event').insert({ alert_id: params.id, what: 'acknowledged', by_whom: by });
    });
    const row = (await alertRows(database).where('a.id', params.id).first()) as Parameters<typeof alertView>[0] | undefined;
    if (!row) throw notFound(`alert ${params.id}`);
    const alert = alertView(row);
    engine.acknowledged(alert);
    return alert;
  });
  bind(router, respond.relays, () =>
    [...registry.points.values()].filter((point) => point.body.output).map((output) => engine.ledger.relayView(output, Date.now())),
  );
  bind(router, respond.switchRelay, ({ params, body, me }) => switchByHand(parts, params.id, body, me?.name ?? ''));
  bind(router, respond.deliveries, () => recentDeliveries(database, 200));
  return router;
}
