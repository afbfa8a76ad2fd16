import type { RequestHandler } from 'express';
import { request as httpRequest, type IncomingHttpHeaders, type IncomingMessage } from 'node:http';
import { connect as tcpConnect } from 'node:net';
import type { Duplex } from 'node:stream';
import { ProblemError } from '../problem/problem';

/**
 * What the page asks of the stand-ins. Nodes' own pages lie on the stand-ins' port only: here they would share Dew Post's address, and
 * with it its cookies.
 */
const ASKED = /^\/(ports(\/\d+)?|mishaps|handset\/messages)$/;

const isAsked = (path: string): boolean => ASKED.test(path.split('?')[0] ?? '');

/** What of a request's headers a stand-in may see: never a cookie or a key. */
function passedOn(headers: IncomingHttpHeaders, host: string): Record<string, string | string[]> {
  const kept = [
    'accept',
    'content-type',
    'content-length',
    'sec-websocket-key',
    'sec-websocket-version',
    'sec-websocket-protocol',
    'upgrade',
    'connection',
  ];
  return Object.fromEntries([
    ...kept.flatMap((name) => (headers[name] === undefined ? [] : [[name, headers[name]] as const])),
    ['host', host],
  ]);
}

/** Hands `/standins/...` to the stand-ins' own server. Mounted behind the door for makers and keepers. */
export function standinsProxy(standinsUrl: string): RequestHandler {
  const target = new URL(standinsUrl);
  return (request, response, next) => {
    if (!isAsked(request.url)) return next(new ProblemError(404, 'Not found', 'The stand-ins have no such page here.'));
    const outgoing = httpRequest(
      {
        host: target.hostname,
        port: target.port,
        method: request.method,
        path: request.url,
        headers: passedOn(request.headers, target.host),
        timeout: 10_000,
      },
      (answer) => {
        const { 'set-cookie': _, ...headers } = answer.headers;
        response.writeHead(answer.statusCode ?? 502, { ...headers, 'x-content-type-options': 'nosniff' });
        answer.pipe(response);
      },
    );
    outgoing.on('error', () =>
      next(new ProblemError(502, 'Stand-ins not answering', 'The stand-ins do not answer: start them again with npm start.')),
    );
    request.pipe(outgoing);
  };
}

/** Hands a WebSocket upgrade below `/standins` on, byte for byte. */
export function standinsUpgrade(standinsUrl: string, request: IncomingMessage, socket: Duplex, head: Buffer): void {
  const target = new URL(standinsUrl);
  const path = (request.url ?? '').replace(/^\/standins/, '');
  if (!isAsked(path)) return void socket.end('HTTP/1.1 404 Not Found\r\nConnection: close\r\n\r\n');
  const upstream = tcpConnect(Number(target.port), target.hostname, () => {
    const headers = Object.entries(passedOn(request.headers, target.host)).flatMap(([name, value]) =>
      [value].flat().map((v) => `${name}: ${v}`),
    );
    upstream.write(`GET ${path} HTTP/1.1\r\n${headers.join('\r\n')}\r\n\r\n`);
    upstream.write(head);
    upstream.pipe(socket);
    socket.pipe(upstream);
  });
  const close = (): void => {
    upstream.destroy();
    socket.destroy();
  };
  upstream.on('error', close);
  socket.on('error', close);
  upstream.on('close', close);
  socket.on('close', close);
}
