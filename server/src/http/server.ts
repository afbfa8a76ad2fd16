import type { Express, RequestHandler } from 'express';
import { createServer, ServerResponse, type IncomingMessage, type Server } from 'node:http';
import { createServer as createTlsServer, type Server as TlsServer } from 'node:https';
import type { AddressInfo, Socket } from 'node:net';
import type { Duplex } from 'node:stream';
import type { Logger } from 'pino';
import { comesFromThePage, type Names } from './doors';
import type { Certificate } from '../net/certificate';
import { capPerAddress } from '../net/per-address';

/** Whoever opens a connection and says nothing is let go, ms. */
const PATIENCE = { headersTimeout: 15_000, requestTimeout: 120_000, connectionsCheckingInterval: 5000 } as const;
const MOST_CONNECTIONS = 4000;

/** Hands a WebSocket on to who answers it. */
export type Upgrade = (request: IncomingMessage, socket: Duplex, head: Buffer) => void;

interface Parts {
  app: Express;
  log: Logger;
  connectionsPerAddress: number;
  names: () => Names;
  session: RequestHandler;
  /** The way to the stand-ins' ports; `null` where there are none. */
  standins: Upgrade | null;
  /** A second door with TLS, where there is a certificate. */
  certificate: Certificate | null;
}

/** The port that a server listens on. */
export const portOf = (server: Server | TlsServer): number => (server.address() as AddressInfo).port;

/** The HTTP servers around the application, with their limits, and the WebSocket way to the stand-ins' ports. */
export function httpServers(parts: Parts): { http: Server; https: TlsServer | null } {
  const http = createServer(PATIENCE, parts.app);
  open(http, parts);
  if (!parts.certificate) return { http, https: null };
  const https = createTlsServer(PATIENCE, parts.app);
  parts.certificate.serve(https);
  open(https, parts);
  return { http, https };
}

function open(server: Server | TlsServer, parts: Parts): void {
  const { app, log } = parts;
  server.maxConnections = MOST_CONNECTIONS;
  capPerAddress(server, parts.connectionsPerAddress, (address) => log.warn({ address }, 'too many connections from one address'));
  server.on('upgrade', (request: IncomingMessage, socket: Duplex, head: Buffer) => {
    // A reset on the way would end the process otherwise.
    socket.on('error', () => socket.destroy());
    // Another protocol is offered, not demanded: the request is answered in this one (RFC 9110 §7.8).
    if (request.headers.upgrade?.toLowerCase() !== 'websocket') return answerPlainly(app, request, socket as Socket);
    const refuse = (code: string): void => void socket.end(`HTTP/1.1 ${code}\r\nConnection: close\r\n\r\n`);
    const { standins } = parts;
    if (!request.url?.startsWith('/standins/') || standins === null) return refuse('404 Not Found');
    if (!comesFromThePage(request, parts.names()) || request.headers.origin === undefined) return refuse('403 Forbidden');
    const quiet = new ServerResponse(request);
    void parts.session(request as Parameters<RequestHandler>[0], quiet as Parameters<RequestHandler>[1], () => {
      const { me } = request as Partial<Parameters<RequestHandler>[0]>;
      if (me) standins(request, socket, head);
      else refuse('401 Unauthorized');
    });
  });
}

function answerPlainly(app: Express, request: IncomingMessage, socket: Socket): void {
  const response = new ServerResponse(request);
  response.shouldKeepAlive = false;
  response.assignSocket(socket);
  response.on('finish', () => socket.end());
  app(request, response);
}
