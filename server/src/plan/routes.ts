import { addressing, plan, sitePlan, type LiveEvent } from '@dewpost/contract';
import { Router } from 'express';
import type { Vault } from '../access/vault';
import type { Database } from '../database/connect';
import type { Engine } from '../engine/engine';
import { bind, passDoor } from '../http/bind';
import { notFound, ProblemError } from '../http/problem';
import type { Hub } from '../live/hub';
import { makeNodes } from '../site/make-nodes';
import { leafBurst } from '../site/networks';
import type { Nodes } from '../site/nodes';
import { addressesView, networkViews, setAddresses, setNetworks } from './addressing';
import type { Profiles } from './profiles';
import { assemblyOf, setTick } from '../site/assembly';
import { saveSheet, sheetVersions, sheetViews } from './sheets';
import { addPicture, currentPlan, readPicture, savePlan } from './site-plan';
import { readNodeLog, writeNodeLog } from '../site/node-log';
import { nodeView, pointView, type NodeEntry, type Registry } from '../site/registry';

/** Build sheets, rooms, nodes, the site plan, networks and addresses. */
export function planRoutes(parts: {
  database: Database;
  registry: Registry;
  vault: Vault;
  hub: Hub;
  profiles: Profiles;
  engine: Engine;
  nodes: Nodes;
}): Router {
  const { database, registry, vault, hub, profiles, engine, nodes } = parts;
  const router = Router();

  const find = (id: string): NodeEntry => {
    const node = registry.nodes.get(id);
    if (!node) throw notFound(`node named ${id}`);
    return node;
  };

  /** Serialised, so that two requests for one name meet the check and not the constraint. */
  let making: Promise<unknown> = Promise.resolve();
  const make = (wanted: {
    ids: readonly string[];
    room: string;
    buildSheet: string;
  }): Promise<{ keys: Map<string, string>; nodes: NodeEntry[] }> => {
    const made = making.then(async () => {
      const keys = await database.transaction((trx) => makeNodes(trx, vault, wanted));
      const nodes = await registry.loadNodes(database, [...keys.keys()]);
      const born = await registry.loadThresholds(database, [...keys.keys()]);
      hub.publish([
        ...nodes.map((node): LiveEvent => ({ type: 'node', node: nodeView(node), points: [...node.points.values()].map(pointView) })),
        ...born.map((entry): LiveEvent => ({ type: 'threshold', threshold: engine.thresholdView(entry) })),
      ]);
      return { keys, nodes };
    });
    making = made.catch(() => undefined);
    return made;
  };

  bind(router, plan.sheets, async () => {
    return sheetViews(database);
  });
  bind(router, plan.saveSheet, async ({ body, me }) => {
    const slug = await saveSheet(database, await profiles.catalogue(), body.name, body.draft);
    const saved = (await sheetViews(database)).find((sheet) => sheet.slug === slug);
    if (!saved) throw new Error(`sheet ${slug} was saved by ${me?.name ?? ''} and cannot be read`);
    return saved;
  });
  bind(router, plan.sheetVersions, ({ params }) => sheetVersions(database, params.slug));
  bind(router, plan.leafBurst, () => leafBurst(database));
  bind(router, plan.setLeafBurst, async ({ body, me }) => {
    await database('site').update({ leaf_burst: JSON.stringify(body) });
    const leaves = [...registry.nodes.values()].filter((node) => node.gateway !== null && node.burst === null);
    for (const leaf of leaves)
      await nodes.changed(
        leaf,
        `sends ${body.count} times, ${body.spacingMs} ms apart, planned by ${me?.name ?? ''}: write it again to tell it`,
      );
    return { leaves: leaves.map((leaf) => leaf.name) };
  });
  bind(router, plan.ticks, ({ params }) => assemblyOf(database, find(params.id)));
  bind(router, plan.tick, async ({ params, body, me }) => {
    await setTick(database, find(params.id), body.step, body.done, me?.name ?? '');
    return assemblyOf(database, find(params.id));
  });
  bind(router, plan.catalogue, () => profiles.reply());
  bind(router, plan.addProfile, async ({ body, me }) => {
    await profiles.put(body, me?.name ?? '');
    return { id: body.id };
  });
  bind(router, plan.removeProfile, async ({ params }) => {
    await profiles.remove(params.id);
    return {};
  });
  bind(router, plan.rooms, async () => (await database('room').orderBy('id').select('slug', 'name')) as { slug: string; name: string }[]);
  bind(router, plan.nodes, () => [...registry.nodes.values()].map(nodeView));
  bind(router, plan.addNode, async ({ body, me }) => {
    const { keys, nodes } = await make({ ids: [body.id], room: body.room, buildSheet: body.buildSheet });
    const [node] = nodes;
    if (!node) throw new Error('a node was not written');
    await writeNodeLog(database, [{ node, level: 'info', text: `made by ${me?.name ?? ''}; its key was given out in the reply` }]);
    return { id: node.name, key: keys.get(node.name) ?? '', points: [...node.points.values()].map(pointView) };
  });
  bind(router, plan.addNodes, async ({ body, me }) => {
    const { nodes } = await make(body);
    await writeNodeLog(
      database,
      nodes.map((node) => ({ node, level: 'info', text: `made by ${me?.name ?? ''}` })),
    );
    return { nodes: nodes.map(nodeView) };
  });
  bind(router, plan.revealKey, async ({ params, me }) => {
    const node = find(params.id);
    if (node.keySealed === null) {
      throw new ProblemError(
        409,
        'Key gone',
        `${node.name} has made contact: only the digest of its key is kept. Write it again to give it a new one.`,
      );
    }
    await writeNodeLog(database, [{ node, level: 'warning', text: `its key was revealed to ${me?.name ?? ''}` }]);
    return { key: vault.open(node.keySealed) };
  });
  bind(router, plan.nodeLog, ({ params }) => readNodeLog(database, find(params.id)));
  bind(router, addressing.networks, () => networkViews(database));
  bind(router, addressing.setNetworks, ({ body }) => setNetworks(database, vault, body.networks));
  bind(router, addressing.addresses, () => addressesView(database, registry));
  bind(router, addressing.setAddresses, async ({ body, me }) => {
    await setAddresses(database, registry, body, me?.name ?? '');
    return addressesView(database, registry);
  });
  bind(router, sitePlan.read, () => currentPlan(database));
  bind(router, sitePlan.save, ({ body, me }) => savePlan(database, body.base, body.plan, me?.name ?? ''));
  bind(router, sitePlan.addPicture, ({ body, me }) => addPicture(database, body.base64, me?.name ?? ''));
  router.get('/api/v1/site-plan/pictures/:id', async (request, response) => {
    passDoor('account', request);
    const picture = await readPicture(database, String(request.params.id));
    if (!picture) throw notFound('picture of this name');
    // Named by its digest, so it never changes.
    response.setHeader('Cache-Control', 'private, max-age=31536000, immutable');
    response.type(picture.type).send(picture.bytes);
  });
  return router;
}
