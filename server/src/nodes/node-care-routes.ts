import { plan, upkeep } from '@dewpost/contract';
import { Router } from 'express';
import type { Database } from '../database/connect';
import { bind } from '../http/bind';
import { factsOf } from '../model/node-facts';
import { nodeNamed, pointNamed } from '../model/lookup';
import { nodeView } from '../model/views';
import type { Registry } from '../model/registry';
import type { NodeCare } from './node-care';

/** Rename, move, label and retire; what nodes said of themselves over time. */
export function nodeCareRoutes({ database, registry, care }: { database: Database; registry: Registry; care: NodeCare }): Router {
  const router = Router();
  bind(router, plan.changeNode, async ({ params, body, me }) => {
    const node = nodeNamed(registry, params.id);
    await care.change(node, body, me?.name ?? '');
    return nodeView(node);
  });
  bind(router, plan.labelPoint, ({ params: { id: node, point }, body, me }) =>
    care.label(pointNamed(registry, { node, point }), body.label, me?.name ?? ''),
  );
  bind(router, plan.judgePoint, ({ params: { id: node, point }, body, me }) =>
    care.judge(pointNamed(registry, { node, point }), body.judging, me?.name ?? ''),
  );
  bind(router, plan.retireNode, async ({ params, me }) => {
    await care.retire(nodeNamed(registry, params.id), me?.name ?? '');
    return {};
  });
  bind(router, upkeep.facts, ({ params }) => factsOf(database, nodeNamed(registry, params.id)));
  return router;
}
