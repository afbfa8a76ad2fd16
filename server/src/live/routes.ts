import { files, live } from '@dewpost/contract';
import { Router } from 'express';
import type { Sessions } from '../access/sessions';
import { bind, bindRaw } from '../http/bind';
import { ProblemError } from '../problem/problem';
import type { HouseEvents } from '../model/house-events';
import { dashboardPoints } from '../model/dashboards';
import type { Shares } from '../access/shares';
import { sharedSnapshotFor, snapshotFor } from './snapshot';
import { openStream, sharedPart } from './stream';

/** Live streams that may be open at once: of one account or link, and in all. */
export const STREAMS = { each: 30, inAll: 500 } as const;

/** Counts who is in; refuses whoever would be one too many, with what to do. */
export class Rooms {
  private readonly inside = new Map<string, number>();
  private all = 0;

  constructor(private readonly most: { readonly each: number; readonly inAll: number }) {}

  /** Throws 503 where it is full; the function that it gives is called once, to leave. */
  enter(whose: string): () => void {
    const own = this.inside.get(whose) ?? 0;
    if (own >= this.most.each || this.all >= this.most.inAll)
      throw new ProblemError(
        503,
        'Too many pages',
        'Too many live pages are open here: close some of them, then read this one anew.',
        undefined,
        10,
      );
    this.inside.set(whose, own + 1);
    this.all++;
    let left = false;
    return () => {
      if (left) return;
      left = true;
      this.all--;
      const rest = (this.inside.get(whose) ?? 1) - 1;
      if (rest > 0) this.inside.set(whose, rest);
      else this.inside.delete(whose);
    };
  }
}

type Parts = Parameters<typeof snapshotFor>[0] & { sessions: Sessions; shares: Shares; events: HouseEvents };

/** Snapshots and live streams, for accounts and for onlookers. */
export function liveRoutes(parts: Parts): Router {
  const { hub, registry, sessions, shares, events } = parts;
  const router = Router();
  const sharedStreams = new Map<number, Set<{ end(why: string): void }>>();
  const accountStreams = new Map<string, Set<{ end(why: string): void }>>();
  const streamsByName = new Map<string, Set<{ end(why: string): void }>>();
  const rooms = new Rooms(STREAMS);

  bind(router, live.snapshot, ({ me }) => {
    if (!me) throw new ProblemError(401, 'Not signed in', 'Sign in first.');
    return snapshotFor(parts, me);
  });
  bind(router, live.sharedSnapshot, async ({ shareId }) => {
    const share = await shares.byId(shareId ?? 0);
    if (!share) throw new ProblemError(401, 'Link ended', 'This link has ended: ask for a new one.');
    return sharedSnapshotFor(parts, share);
  });

  bindRaw(router, files.live, ({ me, request, response }) => {
    const { sessionID } = request;
    const leave = rooms.enter(`account ${me?.name ?? ''}`);
    response.on('close', leave);
    const stream = openStream(hub, request, response, {
      stillGood: () => sessions.stillGood(sessionID),
      select: (event) => (event.type === 'told' && event.to !== me?.name ? null : event),
    });
    keepStream(accountStreams, sessionID, stream, response);
    keepStream(streamsByName, me?.name ?? '', stream, response);
  });
  bindRaw(router, files.sharedLive, async ({ shareId, request, response }) => {
    const share = await shares.byId(shareId ?? 0);
    if (!share) throw new ProblemError(401, 'Link ended', 'This link has ended: ask for a new one.');
    const leave = rooms.enter(`share ${share.id}`);
    response.on('close', leave);
    const points = new Set((dashboardPoints(registry, share.dashboard) ?? []).map((point) => point.id));
    const stream = openStream(hub, request, response, {
      stillGood: async () => (await shares.byId(share.id)) !== null,
      select: (event) => sharedPart(points, event),
    });
    keepStream(sharedStreams, share.id, stream, response);
  });
  events.on('accountEnded', (name) => {
    for (const stream of streamsByName.get(name) ?? []) stream.end('signed out');
  });
  events.on('shareRevoked', (id) => {
    for (const stream of sharedStreams.get(id) ?? []) stream.end('revoked');
  });
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
