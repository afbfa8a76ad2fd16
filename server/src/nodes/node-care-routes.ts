import { plan } from '@dewpost/contract';
import { Router } from 'express';
import { bind } from '../http/bind';
import { nodeView, type NodeEntry, type Registry } from '../model/registry';
import { notFound } from '../problem/problem';
import type { NodeCare } from './node-care';

/** Rename, move, label and retire. */
export function nodeCareRoutes({ registry, care }: { registry: Registry; care: NodeCare }): Router {
  const router = Router();
  const find = (id: string): NodeEntry => {
    const node = registry.nodes.get(id);
    if (!node) throw notFound(`node named ${id}`);
    return node;
  };
  bind(router, plan.changeNode, async ({ params, body, me }) => {
    const node = find(params.id);
    await care.change(node, body, me?.name ?? '');
    return nodeView(node);
  });
  bind(router, plan.labelPoint, ({ params, body, me }) => {
    const point = find(params.id).points.get(params.point);
    if (!point) throw notFound(`point ${params.point} of ${params.id}`);
    return care.label(point, body.label, me?.name ?? '');
  });
  bind(router, plan.retireNode, async ({ params, me }) => {
    await care.retire(find(params.id), me?.name ?? '');
    return {};
  });
  return router;
}
