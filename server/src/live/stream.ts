import { sharedEventSchema, type LiveEvent, type SharedEvent } from '@dewpost/contract';
import type { Request, Response } from 'express';
import type { Frame, Hub } from '../events/hub';

const CHECK_MS = 30_000;
const BEAT_MS = 15_000;
/** Bytes a slow page may leave unread before its stream is closed; it comes back and goes on from its last id. */
const UNREAD_LIMIT = 4 * 1024 * 1024;

/**
 * One live stream (server-sent events). Goes on after the id given as `Last-Event-ID`, or as `?from=` the first time; an id
 * that is unknown or too old gets a `reset` event. `stillGood` is asked every 30 s; false ends the stream.
 */
export function openStream(
  hub: Hub,
  request: Request,
  response: Response,
  options: { stillGood(): Promise<boolean>; select(event: LiveEvent): LiveEvent | SharedEvent | null },
): { end(why: string): void } {
  response.writeHead(200, {
    'Content-Type': 'text/event-stream',
    'Cache-Control': 'no-store',
    'X-Accel-Buffering': 'no',
    Connection: 'keep-alive',
  });
  response.write('retry: 1000\n\n');

  const send = (frame: Frame): void => {
    const events = frame.events.flatMap((event) => options.select(event) ?? []);
    response.write(`id: ${hub.boot}-${frame.sequence}\n${events.length > 0 ? `data: ${JSON.stringify(events)}\n` : ''}\n`);
    if (response.writableLength > UNREAD_LIMIT) end('slow');
  };

  let stop: () => void = () => undefined;
  const beat = setInterval(() => response.write(': beat\n\n'), BEAT_MS);
  const check = setInterval(() => {
    options.stillGood().then(
      (good) => {
        if (!good) end('ended');
      },
      () => end('check failed'),
    );
  }, CHECK_MS);
  const cleanUp = (): void => {
    clearInterval(beat);
    clearInterval(check);
    stop();
  };
  const end = (why: string): void => {
    cleanUp();
    // One that does not read would keep all that it has not read.
    if (why === 'slow') response.destroy();
    else response.end(`event: ended\ndata: ${JSON.stringify(why)}\n\n`);
  };
  response.on('close', cleanUp);

  const { from: asked } = request.query;
  const from = request.get('Last-Event-ID') ?? (typeof asked === 'string' ? asked : '');
  const missed = hub.since(from);
  if (missed === null) response.write(`id: ${hub.id}\nevent: reset\ndata: ${JSON.stringify(hub.id)}\n\n`);
  else for (const frame of missed) send(frame);
  stop = hub.listen(send);
  return { end };
}

/** The part of an event that an onlooker of these points may see, or `null`. */
export function sharedPart(points: ReadonlySet<number>, event: LiveEvent): SharedEvent | null {
  switch (event.type) {
    case 'readings': {
      const readings = event.readings.filter(([point]) => points.has(point));
      return readings.length > 0 ? { type: 'readings', readings } : null;
    }
    case 'alert':
      return !event.alert.journal && event.alert.point !== null && points.has(event.alert.point) ? sharedEventSchema.parse(event) : null;
    case 'relay':
      return points.has(event.relay.point) ? sharedEventSchema.parse(event) : null;
    default:
      return null;
  }
}
