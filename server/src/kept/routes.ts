import { upkeep, type Kept } from '@dewpost/contract';
import { Router } from 'express';
import { bind } from '../http/bind';
import { nodeNamed } from '../model/lookup';
import type { Registry } from '../model/registry';
import type { GoingLive } from './going-live';
import type { Retention } from './retention';

/** How long raw readings are kept, and what counts as a trial. */
export function keptRoutes({ registry, retention, goingLive }: { registry: Registry; retention: Retention; goingLive: GoingLive }): Router {
  const router = Router();
  const view = async (): Promise<Kept> => ({ ...(await retention.view()), live: await goingLive.view() });
  bind(router, upkeep.kept, view);
  bind(router, upkeep.keep, async ({ body }) => {
    await retention.set(body);
    return view();
  });
  bind(router, upkeep.goLive, async ({ body, me }) => {
    const nodes = body.nodes.map((id) => nodeNamed(registry, id));
    for (const node of nodes) await goingLive.set(node, body.since, me?.name ?? '');
    return view();
  });
  bind(router, upkeep.removeTrials, async ({ params, me }) => ({
    removed: await goingLive.removeTrials(nodeNamed(registry, params.id), me?.name ?? ''),
  }));
  return router;
}
