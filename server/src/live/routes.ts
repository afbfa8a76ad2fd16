import { live } from '@dewpost/contract';
import { Router } from 'express';
import type { Sessions } from '../access/sessions';
import { bind, passDoor } from '../http/bind';
import { ProblemError } from '../http/problem';
import { dashboardPoints } from '../site/dashboards';
import type { Shares } from '../access/shares';
import { sharedSnapshotFor, snapshotFor } from './snapshot';
import { openStream, sharedPart } from './stream';

type Parts = Parameters<typeof snapshotFor>[0] & { sessions: Sessions; shares: Shares };

/** Snapshots and live streams, for accounts and for onlookers. */
export function liveRoutes(parts: Parts): Router {
  const { hub, registry, sessions, shares } = parts;
  const router = Router();
  const sharedStreams = new Map<number, Set<{ end(why: string): void }>>();
  const accountStreams = new Map<string, Set<{ end(why: string): void }>>();

  bind(router, live.snapshot, ({ me }) => {
    if (!me) throw new ProblemError(401, 'Not signed in', 'Sign in first.');
    return snapshotFor(parts, me);
  });
  bind(router, live.sharedSnapshot, async ({ shareId }) => {
    const share = await shares.byId(shareId ?? 0);
    if (!share) throw new ProblemError(401, 'Link ended', 'This link has ended: ask for a new one.');
    return sharedSnapshotFor(parts, share);
  });

  router.get('/api/v1/live', (request, response) => {
    passDoor('account', request);
    const { sessionID } = request;
    const stream = openStream(hub, request, response, { stillGood: () => sessions.stillGood(sessionID), select: (event) => event });
    keepStream(accountStreams, sessionID, stream, response);
  });
  router.get('/api/v1/shared/live', async (request, response) => {
    const { shareId } = passDoor('share', request);
    const share = await shares.byId(shareId ?? 0);
    if (!share) throw new ProblemError(401, 'Link ended', 'This link has ended: ask for a new one.');
    const points = new Set((dashboardPoints(registry, share.dashboard) ?? []).map((point) => point.id));
    const stream = openStream(hub, request, response, {
      stillGood: async () => (await shares.byId(share.id)) !== null,
      select: (event) => sharedPart(points, event),
    });
    keepStream(sharedStreams, share.id, stream, response);
  });
  shares.onRevoked = (id) => {
    for (const stream of sharedStreams.get(id) ?? []) stream.end('revoked');
  };
  router.delete('/api/v1/session', (request, _response, next) => {
    for (const stream of accountStreams.get(request.sessionID) ?? []) stream.end('signed out');
    next();
  });
  return router;
}

function keepStream<K>(
  kept: Map<K, Set<{ end(why: string): void }>>,
  key: K,
  stream: { end(why: string): void },
  response: { on(event: 'close', run: () => void): void },
): void {
  const streams = kept.get(key) ?? new Set();
  kept.set(key, streams.add(stream));
  response.on('close', () => {
    streams.delete(stream);
    if (streams.size === 0) kept.delete(key);
  });
}
