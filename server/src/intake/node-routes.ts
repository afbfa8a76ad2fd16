import {
  doneSchema,
  fitSchema,
  haveSchema,
  helloSchema,
  isExpired,
  logSchema,
  topicOf,
  type DoMessage,
  type FitMessage,
} from '@dewpost/core/wire';
import express, { Router, type Request, type Response } from 'express';
import { rateLimit } from 'express-rate-limit';
import type * as z from 'zod';
import type { Engine } from '../engine/engine';
import { ProblemError } from '../problem/problem';
import { writeNodeLog } from '../model/node-log';
import type { Nodes } from '../nodes/nodes';
import type { NodeEntry } from '../model/entries';
import type { Database } from '../database/connect';
import type { Received } from './batch';
import { PressureError, type Intake } from './intake';
import { Pace } from './pace';

const BODY_LIMIT = '64kb';
const IMAGE_PACE = { atOnce: 2, apartMs: 25, inLine: 500 };

/** The HTTP side of the node protocol: Bearer node key, the same bodies as over MQTT. */
export function nodeRoutes(parts: {
  database: Database;
  nodes: Nodes;
  intake: Intake;
  engine: Engine;
  postsPerSecond: number;
  /** The image that a node is told to run. */
  image(node: NodeEntry): { file: string; sha256: string } | null;
  fit(node: NodeEntry, message: FitMessage): Promise<void>;
  /** The folder that images lie in. */
  images: string;
}): Router {
  const { nodes, intake, engine } = parts;
  const router = Router();
  const node = (request: Request): NodeEntry => {
    if (!request.node) throw new Error('a node route was reached without a node');
    return request.node;
  };

  router.use(async (request, _response, next) => {
    const [scheme, key] = (request.headers.authorization ?? '').split(' ');
    const found = scheme?.toLowerCase() === 'bearer' && key ? await nodes.byKey(key) : null;
    if (!found) throw new ProblemError(401, 'Unknown key', 'Send the node key: Authorization: Bearer <key>.');
    request.node = found;
    next();
  });
  router.use(
    rateLimit({
      windowMs: 1000,
      limit: parts.postsPerSecond,
      keyGenerator: (request) => node(request as Request).name,
      standardHeaders: 'draft-8',
      legacyHeaders: false,
      handler: (request, _response, next) => {
        const why = `more than ${parts.postsPerSecond} posts a second: gather readings into one post`;
        void writeNodeLog(parts.database, [{ node: node(request), level: 'refused', text: why }]).then(
          () => next(new ProblemError(429, 'Too fast', `That is ${why}. Nothing of this post was stored: send it again.`, undefined, 1)),
          next,
        );
      },
    }),
  );
  // The body is read as text so that broken JSON is refused by the decoder, with a line in the node's log.
  router.use(express.text({ type: ['application/json', 'application/senml+json', 'text/*'], limit: BODY_LIMIT }));
  router.use(express.raw({ type: ['application/cbor', 'application/senml+cbor'], limit: BODY_LIMIT }));
  router.use(express.urlencoded({ extended: false, limit: BODY_LIMIT }));
  router.use((error: unknown, request: Request, _response: Response, next: (error: unknown) => void) => {
    if ((error as { type?: string }).type !== 'entity.too.large' || !request.node) return next(error);
    writeNodeLog(parts.database, [
      { node: request.node, level: 'refused', text: `a body above ${BODY_LIMIT} was refused: send fewer records at a time` },
    ]).then(() => next(error), next);
  });

  const takeReadings = async (request: Request, response: Response): Promise<void> => {
    const sender = node(request);
    const verdict = await intake.add({ node: sender, body: readingsOf(request), arrivedAt: Date.now() }).catch((error: unknown) => {
      if (error instanceof PressureError)
        throw new ProblemError(503, 'Busy', 'Not stored: too much is waiting. Send it again in a few seconds.', undefined, 2);
      throw error;
    });
    const nothingKept = verdict.stored + verdict.duplicates === 0 && verdict.refused.length > 0;
    response.status(nothingKept ? 422 : 200);
    if (nothingKept) response.type('application/problem+json');
    response.send(
      JSON.stringify({
        ...(nothingKept && {
          type: 'about:blank',
          title: 'Nothing could be stored',
          status: 422,
          detail: verdict.refused
            .map((r) => r.why)
            .join('; ')
            .slice(0, 1000),
        }),
        stored: verdict.stored,
        duplicates: verdict.duplicates,
        refused: verdict.refused,
        ...(verdict.clockOff && { serverTime: Date.now() }),
        commands: pending(engine, sender),
        revision: sender.revision,
      }),
    );
  };
  // PUT is what some libraries call it; a reading is the same by point and time, however often it comes.
  router.route('/up').post(takeReadings).put(takeReadings);

  const take = <S extends z.ZodType>(path: string, schema: S, act: (sender: NodeEntry, message: z.output<S>) => Promise<void>): void => {
    router.post(path, async (request, response) => {
      const sender = node(request);
      const read = readMessage(schema, bodyOf(request));
      if (typeof read === 'string') {
        await nodes.log(sender, 'refused', `${path.slice(1)}: ${read}`);
        throw new ProblemError(422, 'Cannot be used', `${path.slice(1)}: ${read}`);
      }
      await act(sender, read.message);
      response.json({ commands: pending(engine, sender), revision: sender.revision });
    });
  };
  take('/hello', helloSchema, (sender, message) => nodes.hello(sender, message));
  take('/have', haveSchema, (sender, message) => nodes.have(sender, message));
  take('/done', doneSchema, (sender, message) => engine.readBack(sender, message));
  take('/fit', fitSchema, (sender, message) => parts.fit(sender, message));
  take('/log', logSchema, (sender, message) => nodes.log(sender, message.level, message.text));
  router.get('/set', (request, response) => {
    response.json(nodes.settings(node(request)));
  });
  // Images go out beside the readings, never in their way: few at a time, by ranges, from the disk; the others wait in line.
  const pace = new Pace(IMAGE_PACE);
  router.get('/image', async (request, response) => {
    const image = parts.image(node(request));
    if (!image) throw new ProblemError(404, 'No image', 'This node is not told to run another image.');
    const turn = pace.turn();
    if (!turn) throw new ProblemError(503, 'Busy', 'Many are fetching: ask again in a second, from the byte you have.', undefined, 1);
    const done = await turn;
    response.on('close', done);
    // One that has gone away while it waited gives its turn on.
    if (response.destroyed) return done();
    response.type('application/octet-stream').setHeader('X-Image-Sha256', image.sha256);
    response.sendFile(image.file, { root: parts.images, dotfiles: 'allow', cacheControl: false, etag: false, lastModified: false });
  });
  router.use((request) => {
    throw new ProblemError(
      404,
      'Not found',
      `There is no ${request.method} /node/v1${request.path}: see docs/node-protocol.md (${topicOf('{node}', 'up')} and its kin).`,
    );
  });
  return router;
}

/** What a post of readings holds: JSON or CBOR, a form, or the query string where the body is empty, for what can do no better. */
function readingsOf(request: Request): Received['body'] {
  const body: unknown = request.body;
  if (typeof body === 'string' && body.trim() !== '') return body;
  if (body instanceof Uint8Array && body.length > 0) return body;
  const form = typeof body === 'object' && body !== null && !(body instanceof Uint8Array) ? (body as Record<string, unknown>) : {};
  return Object.keys(form).length > 0 ? form : { ...request.query };
}

/** A message of the protocol, as JSON or as a form: values of a form that are numbers are meant as such. */
function bodyOf(request: Request): string | Record<string, unknown> {
  if (typeof request.body === 'string') return request.body;
  const form = Buffer.isBuffer(request.body) ? {} : ((request.body ?? {}) as Record<string, unknown>);
  return Object.fromEntries(
    Object.entries(form).map(([name, text]) => [
      name,
      typeof text === 'string' && text.trim() !== '' && Number.isFinite(Number(text)) ? Number(text) : text,
    ]),
  );
}

/** A message checked against its schema, or in words what is wrong with it. Shared by HTTP and MQTT. */
export function readMessage<S extends z.ZodType>(schema: S, body: string | Record<string, unknown>): { message: z.output<S> } | string {
  let value: unknown = body;
  if (typeof body === 'string') {
    try {
      value = JSON.parse(body);
    } catch {
      return 'not JSON: check quotes, commas and brackets';
    }
  }
  const parsed = schema.safeParse(value);
  return parsed.success
    ? { message: parsed.data }
    : parsed.error.issues.map((issue) => `${issue.path.join('.') || 'message'}: ${issue.message}`).join('; ');
}

/** Commands a node that only posts has not answered yet, still in time. */
function pending(engine: Engine, sender: NodeEntry): DoMessage[] {
  const now = Date.now();
  return [...sender.points.values()].flatMap((point) => {
    const command = engine.state.waiting.get(point.id);
    return command && !isExpired(command, now) ? [command] : [];
  });
}
