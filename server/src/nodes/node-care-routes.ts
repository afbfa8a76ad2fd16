import { plan } from '@dewpost/contract';
import { Router } from 'express';
import { bind } from '../http/bind';
import { nodeNamed, pointNamed } from '../model/lookup';
import { nodeView } from '../model/views';
import type { Registry } from '../model/registry';
import type { NodeCare } from './node-care';

/** Rename, move, label and retire. */
export function nodeCareRoutes({ registry, care }: { registry: Registry; care: NodeCare }): Router {
  const router = Router();
  bind(router, plan.changeNode, async ({ params, body, me }) => {
    const node = nodeNamed(registry, params.id);
    await care.change(node, body, me?.name ?? '');
    return nodeView(node);
  });
  bind(router, plan.labelPoint, ({ params: { id: node, point }, body, me }) =>
    care.label(pointNamed(registry, { node, point }), body.label, me?.name ?? ''),
  );
  bind(router, plan.retireNode, async ({ params, me }) => {
    await care.retire(nodeNamed(registry, params.id), me?.name ?? '');
    return {};
  });
  return router;
}
