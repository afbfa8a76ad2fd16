import { watch, type ReadingRow, type Site } from '@dewpost/contract';
import { inForceAt } from '@dewpost/core/calibration';
import { Router, type Response } from 'express';
import type * as z from 'zod';
import type { Database } from '../database/connect';
import { bind } from '../http/bind';
import { notFound, ProblemError } from '../problem/problem';
import { pointNamed } from '../model/lookup';
import type { PointEntry, Registry } from '../model/registry';
import { dashboardPoints, dashboardsOf } from '../model/dashboards';
import { readHistory, readMeans, readRaw, spanOf } from '../model/history';
import type { Shares } from '../access/shares';
import { SHARE_COOKIE } from './share-cookie';

/** History, share links and what an onlooker may read. */
export function watchRoutes(parts: {
  database: Database;
  registry: Registry;
  shares: Shares;
  site(): Promise<Site>;
  /** Is this host reached by TLS? */
  isSecure: (host: string) => boolean;
}): Router {
  const { database, registry, shares, isSecure } = parts;
  const router = Router();

  const history = async (point: PointEntry, query: z.output<(typeof watch.history)['query']>) => {
    const head = { point: { id: point.id, label: point.body.label, unit: point.body.unit } };
    const span = spanOf(
      { ...(query.from !== undefined && { from: query.from }), ...(query.to !== undefined && { to: query.to }) },
      Date.now(),
    );
    const { level, max } = query;
    if (level === undefined) return { ...head, ...(await readHistory(database, point.id, span, max)) };
    if (level !== 'raw') {
      const readings = await readMeans(database, point.id, span, level, (await parts.site()).timezone, max);
      return { ...head, thinned: readings.length === max, readings };
    }
    const rows = await readRaw(database, point.id, span, max);
    return {
      ...head,
      thinned: rows.length === max,
      readings: rows.map(({ at, value, quality }): ReadingRow => [at, value, quality]),
      raw: rows.map(({ at, raw }): [number, number] => [raw, inForceAt(point.calibrations, at)?.version ?? 0]),
    };
  };

  bind(router, watch.history, ({ params, query }) => history(pointNamed(registry, params), query));
  bind(router, watch.shares, () => shares.list());
  bind(router, watch.share, ({ body, me }) => {
    if (!dashboardsOf(registry).some((dashboard) => dashboard.slug === body.dashboard)) throw notFound(`dashboard ${body.dashboard}`);
    return shares.make(body.dashboard, body.label, body.days, me?.name ?? '');
  });
  bind(router, watch.revokeShare, ({ params }) => shares.revoke(params.id));
  bind(router, watch.openShare, async ({ body, request, response }) => {
    const { cookie, share } = await shares.open(body.token);
    setShareCookie(response, cookie, isSecure(request.headers.host ?? ''));
    return { dashboard: share.dashboard };
  });
  bind(router, watch.sharedHistory, async ({ params, query, shareId }) => {
    const share = await shares.byId(shareId ?? 0);
    const point = share ? dashboardPoints(registry, share.dashboard)?.find((p) => p.id === params.id) : undefined;
    if (!point) throw new ProblemError(404, 'Not found', 'The shared dashboard has no such point.');
    return history(point, query);
  });
  return router;
}

function setShareCookie(response: Response, value: string, secure: boolean): void {
  response.cookie(SHARE_COOKIE, value, { httpOnly: true, secure, sameSite: 'strict', path: '/api/v1/shared', maxAge: 30 * 86_400_000 });
}
