import { forwards as endpoints } from '@dewpost/contract';
import { Router } from 'express';
import { bind } from '../http/bind';
import type { Forwards } from './forwards';

/** Where readings are forwarded to. */
export function forwardRoutes(
  forwards: Forwards,
  test: (id: number) => Promise<{ delivered: boolean; ms: number; detail: string }>,
): Router {
  const router = Router();
  bind(router, endpoints.list, () => forwards.list());
  bind(router, endpoints.add, ({ body, me }) => forwards.add(body, me?.name ?? ''));
  bind(router, endpoints.change, ({ params, body }) => forwards.change(params.id, body.from, body.settings));
  bind(router, endpoints.pause, ({ params, body }) => forwards.pause(params.id, body.paused));
  bind(router, endpoints.test, ({ params }) => test(params.id));
  bind(router, endpoints.remove, async ({ params }) => {
    await forwards.remove(params.id);
    return {};
  });
  return router;
}
