import { switchedBy } from '@dewpost/core/alarm';
import { watch, type ReadingRow, type StretchRow } from '@dewpost/contract';
import { scaleOf, versionAt } from '@dewpost/core/calibration';
import type { Bucket } from '@dewpost/core/series';
import { Router, type Response } from 'express';
import type * as z from 'zod';
import type { Database } from '../database/connect';
import { bind } from '../http/bind';
import { notFound, ProblemError } from '../problem/problem';
import { pointNamed } from '../model/lookup';
import { pointView } from '../model/views';
import type { PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { addNote, happeningsAt, removeNote, switchedWithin } from '../model/happenings';
import { dashboardPoints, dashboardsOf } from '../model/dashboards';
import { liveSpan, readHistory, readRaw, spanOf, type Span } from '../model/history';
import { alertRows, alertView, type AlertRow } from '../engine/alert-rows';
import { readHabit } from '../record/habits';
import { readLevel, readRecord, readTrials } from '../record/read';
import type { Shares } from '../access/shares';
import { qualityOf } from './quality';
import { SHARE_COOKIE } from './share-cookie';

/** History, share links and what an onlooker may read. */
export function watchRoutes(parts: {
  database: Database;
  registry: Registry;
  shares: Shares;
  /** Is this host reached by TLS? */
  isSecure: (host: string) => boolean;
}): Router {
  const { database, registry, shares, isSecure } = parts;
  const router = Router();

  const spanOfQuery = ({ from, to }: { from?: string | undefined; to?: string | undefined }): Span =>
    spanOf({ ...(from !== undefined && { from }), ...(to !== undefined && { to }) }, Date.now());
  const history = async (point: PointEntry, query: z.output<(typeof watch.history)['query']>) => {
    const head = { point: { id: point.id, label: point.body.label, unit: scaleOf(point.body, point.calibrations).unit } };
    const live = point.node.liveSince;
    const span = liveSpan(spanOfQuery(query), live);
    const { level, max, quality } = query;
    if (level === undefined) return { ...head, ...(await readHistory(database, point.id, span, max, quality)) };
    if (level !== 'raw') {
      const stretches = await readLevel(database, level, { ...span, point: point.id, zone: registry.timezone, live });
      const means = stretches.flatMap(({ at, total, count, suspect }): ReadingRow[] =>
        count > 0 ? [[at, total / count, suspect > 0 ? 1 : 0]] : [],
      );
      return { ...head, thinned: means.length > max, readings: means.slice(0, max) };
    }
    const rows = await readRaw(database, point.id, span, max, quality);
    return {
      ...head,
      thinned: rows.length === max,
      readings: rows.map(({ at, value, quality }): ReadingRow => [at, value, quality]),
      raw: rows.map(({ at, raw }): [number, number] => [raw, versionAt(point.body.raw, point.calibrations, at)?.version ?? 0]),
    };
  };

  /** Outputs that rules at this point switch. */
  const outputsOf = (point: PointEntry): number[] => [
    ...new Set((registry.thresholdsByPoint.get(point.id) ?? []).flatMap(({ rule }) => switchedBy(rule).map(({ output }) => output))),
  ];

  bind(router, watch.history, ({ params, query }) => history(pointNamed(registry, params), query));
  bind(router, watch.habit, ({ params }) => readHabit(database, pointNamed(registry, params).id, registry.timezone, Date.now()));
  bind(router, watch.record, async ({ params, query }) => {
    const point = pointNamed(registry, params);
    const span = spanOfQuery(query);
    const { reportSeconds, liveSince: live } = point.node;
    const { timezone: zone, rawFrom } = registry;
    const { most } = query;
    const read = await readRecord(database, { ...liveSpan(span, live), point: point.id, zone, live, most, reportSeconds, rawFrom });
    const trials =
      query.trials === 'yes' && live !== null && live > span.from
        ? await readTrials(database, { point: point.id, from: span.from, to: Math.min(span.to, live - 1), most })
        : [];
    const alerts = (await alertRows(database)
      .where('a.point_id', point.id)
      .where('a.tripped_at', '<=', new Date(span.to))
      .andWhere((still) => void still.whereNull('a.cleared_at').orWhere('a.cleared_at', '>=', new Date(span.from)))
      .orderBy('a.tripped_at', 'desc')
      .limit(MOST_ALERTS)) as AlertRow[];
    return {
      ...span,
      point: pointView(point),
      level: read.level,
      width: read.width,
      stretches: read.buckets.map(stretchOf),
      trials: trials.map(stretchOf),
      reportSeconds,
      alerts: alerts.map(alertView),
      happenings: await happeningsAt(database, point, span),
      switched: await switchedWithin(database, outputsOf(point), span),
    };
  });
  bind(router, watch.addNote, ({ params, body, me }) => addNote(database, pointNamed(registry, params), body, me?.name ?? ''));
  bind(router, watch.removeNote, async ({ params, me }) => {
    await removeNote(database, params.id, { name: me?.name ?? '', role: me?.role ?? '' });
    return {};
  });
  bind(router, watch.quality, ({ query }) => qualityOf(database, registry, query.hours, Date.now()));
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

const MOST_ALERTS = 300;

const stretchOf = ({ at, low, high, total, count, suspect, bad, late, firstAt, lastAt }: Bucket): StretchRow =>
  count === 0
    ? [at, null, null, null, 0, 0, bad, late, null, null]
    : [at, low, total / count, high, count, suspect, bad, late, firstAt, lastAt];

function setShareCookie(response: Response, value: string, secure: boolean): void {
  response.cookie(SHARE_COOKIE, value, { httpOnly: true, secure, sameSite: 'strict', path: '/api/v1/shared', maxAge: 30 * 86_400_000 });
}
