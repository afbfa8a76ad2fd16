import { provision } from '@dewpost/contract';
import { Router } from 'express';
import type { Database } from '../database/connect';
import { bind, passDoor } from '../http/bind';
import { notFound } from '../http/problem';
import type { Registry } from '../site/registry';
import { listFirmware } from './firmware';
import type { Runs } from './runs';

/** Firmware images and the ledger of runs. */
export function provisionRoutes(parts: { database: Database; registry: Registry; runs: Runs }): Router {
  const { database, registry, runs } = parts;
  const router = Router();
  bind(router, provision.firmware, () => listFirmware(database));
  router.get('/api/v1/firmware/:id/image', async (request, response) => {
    passDoor('maker', request);
    const image = (await listFirmware(database)).find((firmware) => firmware.id === request.params.id);
    if (!image) throw notFound('firmware of this name');
    response.type('application/octet-stream').setHeader('X-Image-Sha256', image.sha256);
    response.sendFile(image.file, { dotfiles: 'allow' });
  });
  bind(router, provision.runs, () => runs.list());
  bind(router, provision.begin, ({ body, me }) => {
    const node = registry.nodes.get(body.node);
    if (!node) throw notFound(`node named ${body.node}`);
    return runs.begin(node, body.firmware, me?.name ?? '');
  });
  bind(router, provision.step, ({ params, body }) => {
    const { hardwareId, ...report } = body;
    return runs.step(params.id, report, hardwareId);
  });
  return router;
}
