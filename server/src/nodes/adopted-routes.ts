import { adopted, readers } from '@dewpost/contract';
import { Router } from 'express';
import { bind } from '../http/bind';
import { pointView } from '../model/views';
import type { NodeEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { notFound } from '../problem/problem';
import type { AdoptedNodes } from './adopted';
import type { Readers } from './readers';

/** Adopted nodes and reading accounts. */
export function adoptedRoutes(parts: { registry: Registry; adoptedNodes: AdoptedNodes; readingAccounts: Readers }): Router {
  const { registry, adoptedNodes, readingAccounts } = parts;
  const router = Router();
  const find = (id: string): NodeEntry => {
    const node = registry.nodes.get(id);
    if (node?.kind !== 'adopted') throw notFound(`adopted node ${id}`);
    return node;
  };
  bind(router, adopted.add, ({ body, me }) => adoptedNodes.adopt(body, me?.name ?? ''));
  bind(router, adopted.read, ({ params }) => adoptedNodes.view(find(params.id)));
  bind(router, adopted.setFilters, async ({ params, body, me }) => {
    const node = find(params.id);
    await adoptedNodes.setFilters(node, body.filters, me?.name ?? '');
    return adoptedNodes.view(node);
  });
  bind(router, adopted.setMap, async ({ params, body, me }) =>
    (await adoptedNodes.setMap(find(params.id), body, me?.name ?? '')).map(pointView),
  );
  bind(router, readers.list, () => readingAccounts.list());
  bind(router, readers.add, ({ body, me }) => readingAccounts.add(body, me?.name ?? ''));
  bind(router, readers.remove, async ({ params }) => {
    await readingAccounts.remove(params.id);
    return {};
  });
  return router;
}
