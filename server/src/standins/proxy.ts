import type { RequestHandler } from 'express';
import { createProxyMiddleware } from 'http-proxy-middleware';
import type { ClientRequest, IncomingMessage, ServerResponse } from 'node:http';
import type { Socket } from 'node:net';
import type { Duplex } from 'node:stream';
import { ProblemError } from '../problem/problem';

/**
 * What the page asks of the stand-ins. Nodes' own pages lie on the stand-ins' port only: here they would share Dew Post's address, and
 * with it its cookies.
 */
const ASKED = /^\/(ports(\/\d+)?|mishaps|handset\/messages|received|push)$/;
/** What of a request's headers a stand-in may see: never a cookie or a key. */
const PASSED_ON: ReadonlySet<string> = new Set([
  ...['host', 'accept', 'content-type', 'content-length', 'connection', 'upgrade'],
  ...['sec-websocket-key', 'sec-websocket-version', 'sec-websocket-protocol'],
]);
const ANSWER_MS = 10_000;

const isAsked = (path: string): boolean => ASKED.test(path.split('?')[0] ?? '');

const stripped = (outgoing: ClientRequest): void => {
  for (const name of outgoing.getHeaderNames()) if (!PASSED_ON.has(name.toLowerCase())) outgoing.removeHeader(name);
};

/** The way to the stand-ins' own server below `/standins`. */
export interface StandinsProxy {
  /** Mounted behind the door for makers and keepers. */
  readonly handle: RequestHandler;
  /** Hands a WebSocket on; of somebody who is signed in. */
  upgrade(request: IncomingMessage, socket: Duplex, head: Buffer): void;
}

/** Throws nothing; stand-ins that do not answer are a 502 in words. */
export function standinsProxy(target: string): StandinsProxy {
  /** The requests under way, by what is to be done when the stand-ins do not answer. */
  const unanswered = new WeakMap<IncomingMessage, (error: unknown) => void>();
  const proxy = createProxyMiddleware({
    target,
    changeOrigin: true,
    proxyTimeout: ANSWER_MS,
    on: {
      proxyReq: stripped,
      proxyReqWs: stripped,
      proxyRes(answer, _request, response: ServerResponse) {
        delete answer.headers['set-cookie'];
        response.setHeader('x-content-type-options', 'nosniff');
      },
      error(_error, request, response) {
        const next = unanswered.get(request);
        if (next) next(new ProblemError(502, 'Stand-ins not answering', 'The stand-ins do not answer: start them again with npm start.'));
        else (response as Socket).destroy();
      },
    },
  });
  return {
    handle(request, response, next) {
      if (!isAsked(request.url)) return next(new ProblemError(404, 'Not found', 'The stand-ins have no such page here.'));
      unanswered.set(request, next);
      void proxy(request, response, next);
    },
    upgrade(request, socket, head) {
      const path = (request.url ?? '').replace(/^\/standins/, '');
      if (!isAsked(path)) return void socket.end('HTTP/1.1 404 Not Found\r\nConnection: close\r\n\r\n');
      request.url = path;
      proxy.upgrade(request as Parameters<typeof proxy.upgrade>[0], socket as Socket, head);
    },
  };
}
