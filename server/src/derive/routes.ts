import { computed } from '@dewpost/contract';
import { Router } from 'express';
import { bind } from '../http/bind';
import type { ComputedPoints } from './computed-points';

/** Points that are computed from others. */
export function computedRoutes(points: ComputedPoints): Router {
  const router = Router();
  bind(router, computed.list, () => points.list());
  bind(router, computed.add, ({ body, me }) => points.add(body, me?.name ?? ''));
  bind(router, computed.change, ({ params, body, me }) => points.change(params.id, body, me?.name ?? ''));
  bind(router, computed.remove, async ({ params, me }) => {
    await points.remove(params.id, me?.name ?? '');
    return {};
  });
  return router;
}
