import { addressing, files, plan, sitePlan, type LiveEvent } from '@dewpost/contract';
import { Router } from 'express';
import type { Vault } from '../vault/vault';
import type { Database } from '../database/connect';
import type { Engine } from '../engine/engine';
import { bind, bindRaw } from '../http/bind';
import { notFound, ProblemError } from '../problem/problem';
import type { Hub } from '../events/hub';
import { makeNodes } from '../nodes/make-nodes';
import { leafBurst } from '../model/networks';
import type { Nodes } from '../nodes/nodes';
import { addressesView, networkViews, setAddresses, setNetworks } from './addressing';
import type { Profiles } from './profiles';
import { assemblyOf, setTick } from '../model/assembly';
import { retireSheet, saveSheet, sheetVersions, sheetViews } from './sheets';
import { addPicture, currentPlan, readPicture, savePlan } from './site-plan';
import { readNodeLog, writeNodeLog } from '../model/node-log';
import { nodeNamed } from '../model/lookup';
import { nodeView, pointView } from '../model/views';
import { readNodes, readThresholds } from '../model/read-model';
import type { NodeEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { Store } from '../store/change';

/** Build sheets, rooms, nodes, the site plan, networks and addresses. */
export function planRoutes(parts: {
  store: Store;
  database: Database;
  registry: Registry;
  vault: Vault;
  hub: Hub;
  profiles: Profiles;
  engine: Engine;
  nodes: Nodes;
}): Router {
  const { store, database, registry, vault, hub, profiles, engine, nodes } = parts;
  const router = Router();

  const find = (id: string): NodeEntry => nodeNamed(registry, id);

  /** One at a time, so that two requests for one name meet the check and not the constraint. */
  const make = (
    wanted: { ids: readonly string[]; room: string; buildSheet: string },
    logLine: string,
  ): Promise<{ keys: Map<string, string>; nodes: NodeEntry[] }> =>
    store.commitInTurn('new nodes', async (change) => {
      const keys = await makeNodes(change.trx, vault, wanted);
      const nodes = await readNodes(change.trx, [...keys.keys()]);
      const born = await readThresholds(change.trx, [...keys.keys()]);
      await writeNodeLog(
        change.trx,
        nodes.map((node) => ({ node, level: 'info', text: logLine })),
      );
      change.apply(() => registry.putNodes(nodes));
      change.apply(() => registry.putThresholds(born));
      change.tell(() =>
        hub.publish([
          ...nodes.map((node): LiveEvent => ({ type: 'node', node: nodeView(node), points: [...node.points.values()].map(pointView) })),
          ...born.flatMap(({ id }): LiveEvent[] => {
            const entry = registry.thresholds.get(id);
            return entry ? [{ type: 'threshold', threshold: engine.thresholdView(entry) }] : [];
          }),
        ]),
      );
      return { keys, nodes };
    });

  bind(router, plan.sheets, async () => sheetViews(database, await profiles.catalogue()));
  bind(router, plan.saveSheet, async ({ body, me }) => {
    const slug = await saveSheet(database, await profiles.catalogue(), body);
    const saved = (await sheetViews(database, await profiles.catalogue())).find((sheet) => sheet.slug === slug);
    if (!saved) throw new Error(`sheet ${slug} was saved by ${me?.name ?? ''} and cannot be read`);
    return saved;
  });
  bind(router, plan.retireSheet, async ({ params }) => {
    await retireSheet(database, params.slug);
    return {};
  });
  bind(router, plan.sheetVersions, ({ params }) => sheetVersions(database, params.slug));
  bind(router, plan.leafBurst, () => leafBurst(database));
  bind(router, plan.setLeafBurst, async ({ body, me }) => {
    const leaves = [...registry.nodes.values()].filter((node) => node.gateway !== null && node.burst === null);
    await store.commit(async (change) => {
      await change.trx('site').update({ leaf_burst: JSON.stringify(body) });
      for (const leaf of leaves)
        await nodes.changed(
          change,
          leaf,
          `sends ${body.count} times, ${body.spacingMs} ms apart, planned by ${me?.name ?? ''}: write it again to tell it`,
        );
    });
    return { leaves: leaves.map((leaf) => leaf.name) };
  });
  bind(router, plan.ticks, ({ params }) => assemblyOf(database, find(params.id)));
  bind(router, plan.tick, async ({ params, body, me }) => {
    await setTick(database, find(params.id), body.step, body.done, me?.name ?? '');
    return assemblyOf(database, find(params.id));
  });
  bind(router, plan.catalogue, () => profiles.reply());
  bind(router, plan.addProfile, async ({ body, query, me }) => ({
    id: body.id,
    version: await profiles.put(body, query.from, me?.name ?? ''),
  }));
  bind(router, plan.removeProfile, async ({ params }) => {
    await profiles.remove(params.id);
    return {};
  });
  bind(router, plan.rooms, async () => (await database('room').orderBy('id').select('slug', 'name')) as { slug: string; name: string }[]);
  bind(router, plan.nodes, () => [...registry.nodes.values()].map(nodeView));
  bind(router, plan.addNode, async ({ body, me }) => {
    const { keys, nodes } = await make(
      { ids: [body.id], room: body.room, buildSheet: body.buildSheet },
      `made by ${me?.name ?? ''}; its key was given out in the reply`,
    );
    const [node] = nodes;
    if (!node) throw new Error('a node was not written');
    return { id: node.name, key: keys.get(node.name) ?? '', points: [...node.points.values()].map(pointView) };
  });
  bind(router, plan.addNodes, async ({ body, me }) => {
    const { nodes } = await make(body, `made by ${me?.name ?? ''}`);
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
  bind(router, addressing.setNetworks, ({ body }) => setNetworks(database, vault, body));
  bind(router, addressing.addresses, () => addressesView(database, registry));
  bind(router, addressing.setAddresses, async ({ body, me }) => {
    await setAddresses(database, registry, body, me?.name ?? '');
    return addressesView(database, registry);
  });
  bind(router, sitePlan.read, () => currentPlan(database));
  bind(router, sitePlan.save, ({ body, me }) => savePlan(database, body.base, body.plan, me?.name ?? ''));
  bind(router, sitePlan.addPicture, ({ body, me }) => addPicture(database, body.base64, me?.name ?? ''));
  bindRaw(router, files.picture, async ({ params, response }) => {
    const picture = await readPicture(database, params.id);
    if (!picture) throw notFound('picture of this name');
    // Named by its digest, so it never changes.
    response.setHeader('Cache-Control', 'private, max-age=31536000, immutable');
    response.type(picture.type).send(picture.bytes);
  });
  return router;
}
