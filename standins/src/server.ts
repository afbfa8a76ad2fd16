import { AIR_MISHAP_KINDS, NODE_MISHAP_KINDS, PORT_MISHAP_KINDS } from '@dewpost/core/mishaps';
import { handsetMessageSchema, type HandsetMessage } from '@dewpost/core/wire';
import { createServer, type IncomingMessage, type Server } from 'node:http';
import { WebSocketServer } from 'ws';
import * as z from 'zod';
import type { StandinBoard } from './board';
import type { Fleet } from './fleet';
import { bytesOf, originOf, type Answer, type Receivers } from './receivers';
import { RomBoard } from './rom-board';

const mishapSchema = z.discriminatedUnion('what', [
  z.object({ what: z.literal('node'), node: z.string(), kind: z.enum(NODE_MISHAP_KINDS), on: z.boolean() }),
  z.object({ what: z.literal('network'), network: z.string(), on: z.boolean() }),
  z.object({ what: z.literal('port'), port: z.number().int(), kind: z.enum(PORT_MISHAP_KINDS) }),
  z.object({ what: z.literal('handset'), on: z.boolean() }),
  z.object({ what: z.literal('act'), node: z.string(), point: z.string(), value: z.number() }),
  z.object({ what: z.literal('air'), kind: z.enum(AIR_MISHAP_KINDS) }),
]);

/** The control lines of a port, beside its bytes. */
const signalsSchema = z.object({ dtr: z.boolean(), rts: z.boolean() });

function signalsIn(text: string): z.output<typeof signalsSchema> | null {
  try {
    return signalsSchema.parse(JSON.parse(text));
  } catch {
    // A stand-in hears what it understands.
    return null;
  }
}

/** The stand-ins' own server: ports as byte streams, the handset, what goes wrong, and whoever receives outside the house. */
export function standinsServer(fleet: Fleet, receivers: Receivers): Server {
  const inbox = new Map<string, { message: HandsetMessage; deliveredAt: number }>();
  let handsetOff = false;

  const mishaps = (): unknown => ({
    nodes: fleet.list(),
    networks: fleet.networks.names().map((name) => ({ name, down: !fleet.networks.isUp(name) })),
    ports: fleet.ports.map(({ id, mishap, open }) => ({ id, mishap, open })),
    handsetOff,
    air: fleet.airMishap,
  });

  const setMishap = (body: unknown): Answer => {
    const parsed = mishapSchema.safeParse(body);
    if (!parsed.success) return { status: 422, body: { detail: parsed.error.message } };
    const wish = parsed.data;
    if (wish.what === 'node' && !fleet.setMishap(wish.node, wish.kind, wish.on))
      return { status: 404, body: { detail: `no stand-in node ${wish.node}` } };
    if (wish.what === 'act' && !fleet.act(wish.node, wish.point, wish.value))
      return { status: 404, body: { detail: `no point ${wish.point} at ${wish.node}` } };
    if (wish.what === 'network') fleet.networks.setUp(wish.network, !wish.on);
    if (wish.what === 'handset') handsetOff = wish.on;
    if (wish.what === 'air') fleet.airMishap = wish.kind;
    if (wish.what === 'port') {
      const port = fleet.ports.find((candidate) => candidate.id === wish.port);
      if (!port) return { status: 404, body: { detail: `no port ${wish.port}` } };
      port.mishap = wish.kind;
      if (port.board) port.board.mishap = wish.kind;
    }
    return { status: 200, body: mishaps() };
  };

  const deliver = (body: unknown): Answer => {
    if (handsetOff) return { status: 503, body: { detail: 'the handset is off' } };
    const parsed = handsetMessageSchema.safeParse(body);
    if (!parsed.success) return { status: 422, body: { detail: parsed.error.message } };
    // Deliveries are at least once: the id tells a repeat.
    if (!inbox.has(parsed.data.id)) inbox.set(parsed.data.id, { message: parsed.data, deliveredAt: Date.now() });
    if (inbox.size > 500) inbox.delete(inbox.keys().next().value ?? '');
    return { status: 200, body: { ok: true } };
  };

  const answer = async (request: IncomingMessage): Promise<Answer> => {
    const route = `${request.method} ${request.url?.split('?')[0]}`;
    const received = await receivers.answer(route, request, originOf(request));
    if (received) return received;
    if (request.method === 'POST' && !request.headers['content-type']?.startsWith('application/json'))
      return { status: 415, body: { detail: 'send JSON' } };
    switch (route) {
      case 'GET /healthz':
        return { status: 200, body: { ok: true } };
      case 'GET /mishaps':
        return { status: 200, body: mishaps() };
      case 'POST /mishaps':
        return setMishap(await readJson(request));
      case 'GET /ports':
        return { status: 200, body: fleet.ports.map(({ id, mishap, open }) => ({ id, mishap, open })) };
      case 'GET /handset/messages':
        return { status: 200, body: [...inbox.values()].reverse() };
      case 'POST /handset/messages':
        return deliver(await readJson(request));
      default:
        return { status: 404, body: { detail: `no ${route}` } };
    }
  };

  const server = createServer((request, response) => {
    // Nodes' own pages, on this port and never through Dew Post.
    const own = /^\/node\/([a-z0-9-]{1,32})(?:\/(setup|sign-in|switch))?$/.exec((request.url ?? '').split('?')[0] ?? '');
    const page = own ? fleet.pageOf(own[1] ?? '') : undefined;
    if (page) {
      page.answer(request, response, own?.[2] ?? '').catch(() => response.destroy());
      return;
    }
    answer(request)
      .catch((error: unknown): Answer => ({ status: 400, body: { detail: error instanceof Error ? error.message : String(error) } }))
      .then(({ status, body }) => response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body)))
      .catch(() => response.destroy());
  });

  const sockets = new WebSocketServer({ noServer: true, maxPayload: 16 * 1024 });
  server.on('upgrade', (request, socket, head) => {
    // A reset on the way would end the process otherwise.
    socket.on('error', () => socket.destroy());
    const asked = request.url ?? '/';
    if (!URL.canParse(asked, 'http://standins')) {
      socket.end('HTTP/1.1 400 Bad Request\r\nConnection: close\r\n\r\n');
      return;
    }
    const url = new URL(asked, 'http://standins');
    const id = Number(/^\/ports\/(\d+)$/.exec(url.pathname)?.[1]);
    const port = fleet.ports.find((candidate) => candidate.id === id);
    if (!port || port.open) {
      socket.end(`HTTP/1.1 ${port ? '409 Conflict' : '404 Not Found'}\r\nConnection: close\r\n\r\n`);
      return;
    }
    port.open = true;
    sockets.handleUpgrade(request, socket, head, (ws) => {
      const send = (bytes: Uint8Array): void => {
        if (ws.readyState === ws.OPEN) ws.send(bytes);
      };
      ws.on('error', () => ws.terminate());
      ws.on('close', () => (port.open = false));
      if (url.searchParams.has('listen')) {
        const heard = fleet.listenAt(port, (line) => send(new TextEncoder().encode(line)));
        let inReset = false;
        ws.on('message', (data: Buffer, isBinary: boolean) => {
          const wish = isBinary ? null : signalsIn(data.toString('utf8'));
          if (!wish) return;
          if (inReset && !wish.rts) heard?.reset();
          inReset = wish.rts;
        });
        ws.on('close', () => heard?.end());
        return;
      }
      const profile = url.searchParams.get('board') ?? 'wifi-dual-38';
      /** Whatever sits there now: a fresh board becomes one of ours while the port is open. */
      const there = (): RomBoard | StandinBoard => {
        const board = fleet.freshAt(port, profile) ?? fleet.boardAt(port, profile);
        board.attach(send, () => ws.terminate());
        return board;
      };
      fleet.opened(port, profile);
      let board = there();
      ws.on('message', (data: Buffer, isBinary: boolean) => {
        if (!isBinary) {
          const wish = signalsIn(data.toString('utf8'));
          if (wish && board instanceof RomBoard) {
            board.signals(wish.dtr, wish.rts);
            board = there();
          }
          return;
        }
        board.receive(new Uint8Array(data));
      });
      ws.on('close', () => board.attach(() => undefined));
    });
  });
  return server;
}

const readJson = async (request: IncomingMessage): Promise<unknown> => JSON.parse((await bytesOf(request)).toString('utf8')) as unknown;
