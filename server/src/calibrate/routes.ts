import { calibrate, calibrationRowsSchema, qualitySchema, references } from '@dewpost/contract';
import type * as z from 'zod';
import { Router, text, type Request, type Response } from 'express';
import type { Database } from '../database/connect';
import { bind, bindRaw } from '../http/bind';
import { spanOf } from '../model/history';
import { pointNamed } from '../model/lookup';
import type { Registry } from '../model/registry';
import { ProblemError } from '../problem/problem';
import { inForceNow, recordsOf } from './calibration-rows';
import type { Calibrations } from './calibrations';
import { calibrationsCsv, takeCalibrations } from './csv';
import { streamReadings, type ExportForm } from './export';
import { References } from './references';
import type { Holds } from './holds';

const MOST_POINTS = 200;
const MOST_BYTES = 4_000_000;

/** Calibrations, and readings as a table. */
export function calibrateRoutes(parts: { database: Database; registry: Registry; calibrations: Calibrations; holds: Holds }): Router {
  const { database, registry, calibrations, holds } = parts;
  const router = Router();
  bind(router, calibrate.inForce, () => inForceNow(database, registry));
  bind(router, calibrate.records, ({ query }) => recordsOf(database, query.limit));
  bindRaw(router, calibrate.table, async ({ response }) => {
    response.setHeader('Cache-Control', 'no-store');
    response
      .type('text/csv')
      .attachment('calibrations.csv')
      .send(await calibrationsCsv(database));
  });
  bindRaw(
    router,
    calibrate.takeTable,
    async ({ request, response, me }) => {
      if (typeof request.body !== 'string') throw new ProblemError(415, 'Not a table', 'Send the table as text/csv.');
      const rows = await takeCalibrations(registry, calibrations, request.body, me?.name ?? '');
      response.json(calibrationRowsSchema.parse(rows));
    },
    text({ type: 'text/csv', limit: MOST_BYTES }),
  );
  const instruments = new References(database);
  bind(router, references.list, () => instruments.list());
  bind(router, references.add, ({ body, me }) => instruments.add(body, me?.name ?? ''));
  bind(router, references.renew, ({ params, body }) => instruments.renew(params.id, body));
  bind(router, references.retire, async ({ params }) => {
    await instruments.retire(params.id);
    return {};
  });
  bind(router, calibrate.list, ({ params }) => calibrations.list(pointNamed(registry, params)));
  bind(router, calibrate.add, ({ params, body, me }) => calibrations.add(pointNamed(registry, params), body, me?.name ?? ''));
  bind(router, calibrate.withdraw, ({ params, me }) => calibrations.withdraw(pointNamed(registry, params), params.version, me?.name ?? ''));
  bind(router, calibrate.copy, async ({ params, body, me }) => {
    const point = pointNamed(registry, params);
    const copied: z.output<(typeof calibrate.copy)['reply']> = [];
    // One after the other: each is a change of its own, and says for itself how it went.
    for (const node of new Set(body.nodes)) {
      const done = await calibrations.copy(point, params.version, node, me?.name ?? '');
      copied.push('refused' in done ? { node, version: null, refused: done.refused } : { node, version: done.version, refused: null });
    }
    return copied;
  });
  bind(router, calibrate.confirm, ({ params, body, me }) =>
    calibrations.confirm(pointNamed(registry, params), params.version, body, me?.name ?? ''),
  );
  bind(router, calibrate.hold, ({ params, body, me }) => holds.hold(pointNamed(registry, params), body.minutes, me?.name ?? ''));
  bind(router, calibrate.letGo, ({ params, me }) => holds.letGo(pointNamed(registry, params), me?.name ?? ''));
  for (const [endpoint, form] of [
    [calibrate.exportCsv, 'csv'],
    [calibrate.exportLines, 'jsonl'],
    [calibrate.exportSenml, 'senml'],
    [calibrate.exportSenmlCbor, 'cbor'],
  ] as const)
    bindRaw(router, endpoint, ({ request, response }) => readings(request, response, form));

  async function readings(request: Request, response: Response, form: ExportForm): Promise<void> {
    const text = (name: string): string | undefined => {
      const given = request.query[name];
      return typeof given === 'string' && given !== '' ? given : undefined;
    };
    const named = [...new Set((text('points') ?? '').split(',').filter(Boolean))];
    if (named.length === 0 || named.length > MOST_POINTS)
      throw new ProblemError(422, 'Cannot be used', `query.points: name 1 to ${MOST_POINTS} points as node/point, apart by commas.`);
    const points = named.map((one) => {
      const [node = '', point = ''] = one.split('/');
      return pointNamed(registry, { node, point });
    });
    const [from, to] = [text('from'), text('to')];
    const least = qualitySchema.safeParse(text('quality') ?? 'bad').data;
    if (!least) throw new ProblemError(422, 'Cannot be used', 'query.quality: good, suspect or bad, the least that a reading is to be.');
    await streamReadings(
      database,
      points,
      {
        ...spanOf({ ...(from !== undefined && { from }), ...(to !== undefined && { to }) }, Date.now()),
        trials: text('trials') === 'yes',
        least,
      },
      response,
      form,
    );
  }
  return router;
}
