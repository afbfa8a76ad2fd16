import { sources, type LiveEvent } from '@dewpost/contract';
import { Router } from 'express';
import type { Config } from '../config/config';
import type { Hub } from '../events/hub';
import { bind } from '../http/bind';
import { laneOf } from '../model/node-change';
import { writeNodeLog } from '../model/node-log';
import { nodeView, pointView } from '../model/views';
import { readNodes } from '../model/read-model';
import type { NodeEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { notFound } from '../problem/problem';
import type { Store } from '../store/change';
import type { Vault } from '../vault/vault';
import { addSourcePoints, makeSource } from './make-sources';

/** Sources: made in two fields, and their points. */
export function sourceRoutes(parts: {
  store: Store;
  registry: Registry;
  hub: Hub;
  vault: Vault;
  config: Config;
  httpPort(): number;
  mqttPort(): number;
}): Router {
  const { store, registry, hub, vault, config } = parts;
  const router = Router();
  const shown = (node: NodeEntry): LiveEvent => ({
    type: 'node',
    node: nodeView(node),
    points: [...node.points.values()].map(pointView),
  });

  bind(router, sources.way, () => ({ host: config.nodeAddress, httpPort: parts.httpPort(), mqttPort: parts.mqttPort() }));
  bind(router, sources.add, ({ body, me }) =>
    // One at a time with the makers of nodes, so that two of one name meet the check and not the constraint.
    store.commitInTurn('new nodes', async (change) => {
      const { id, key } = await makeSource(change.trx, vault, body);
      const [node] = await readNodes(change.trx, [id]);
      if (!node) throw new Error('a source was not written');
      const text = `a source, made by ${me?.name ?? ''} as "${body.name}"; its key was given out in the reply`;
      await writeNodeLog(change.trx, [{ node, level: 'info', text }]);
      change.apply(() => registry.putNodes([node]));
      change.tell(() => hub.publish([shown(node)]));
      return { id, key, points: [...node.points.values()].map(pointView) };
    }),
  );
  bind(router, sources.addPoints, async ({ params, body, me }) => {
    const node = registry.nodes.get(params.id);
    if (!node) throw notFound(`source ${params.id}`);
    return store.commitInTurn(laneOf(node), async (change) => {
      await addSourcePoints(change.trx, node, body.points);
      const [read] = await readNodes(change.trx, [node.name]);
      const fresh = [...(read?.points.values() ?? [])].filter(({ name }) => !node.points.has(name));
      const names = fresh.map(({ name }) => name).join(', ');
      await writeNodeLog(change.trx, [{ node, level: 'info', text: `${names} declared by ${me?.name ?? ''}` }]);
      const all = [...node.points.values(), ...fresh.map((point) => ({ ...point, node }))];
      change.apply(() => {
        for (const point of all) {
          node.points.set(point.name, point);
          registry.points.set(point.id, point);
        }
      });
      change.tell(() => hub.publish([shown(node)]));
      return all.map(pointView);
    });
  });
  return router;
}
