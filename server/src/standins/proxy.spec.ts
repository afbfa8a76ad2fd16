import express from 'express';
import { once } from 'node:events';
import { createServer, type Server } from 'node:http';
import { connect, type AddressInfo, type Socket } from 'node:net';
import { pino } from 'pino';
import { problemHandler } from '../http/problem-handler';
import { standinsProxy } from './proxy';

/** Everything that was asked of the stand-ins. */
const asked: string[] = [];
let standins: Server;
let front: Server;
let url: string;
beforeAll(async () => {
  standins = createServer((request, response) => {
    const { cookie = '', authorization = '' } = request.headers;
    asked.push(`${request.method} ${request.url} ${cookie}${authorization}`);
    response.setHeader('set-cookie', 'a=b').end('[]');
  });
  standins.on('upgrade', (request, socket) => {
    asked.push(`upgrade ${request.url}`);
    socket.end('HTTP/1.1 101 Switching Protocols\r\n\r\n');
  });
  standins.listen(0, '127.0.0.1');
  await once(standins, 'listening');
  const target = `http://127.0.0.1:${(standins.address() as AddressInfo).port}`;
  const proxy = standinsProxy(target);
  front = createServer(
    express()
      .use('/standins', proxy.handle)
      .use(problemHandler(pino({ level: 'silent' }))),
  );
  front.on('upgrade', (request, socket, head) => proxy.upgrade(request, socket, head));
  front.listen(0, '127.0.0.1');
  await once(front, 'listening');
  url = `http://127.0.0.1:${(front.address() as AddressInfo).port}`;
});
beforeEach(() => (asked.length = 0));
afterAll(() => {
  front.close();
  standins.close();
});

it('what the page needs is handed on, without cookies either way', async () => {
  for (const path of ['/ports', '/mishaps', '/handset/messages']) {
    const answer = await fetch(`${url}/standins${path}`, { headers: { cookie: 'session=secret', authorization: 'Bearer secret' } });
    expect([answer.status, answer.headers.get('set-cookie')]).toEqual([200, null]);
  }
  expect(asked).toEqual(['GET /ports ', 'GET /mishaps ', 'GET /handset/messages ']);
});

it('nodes’ own pages are not: they lie on the stand-ins’ port only', async () => {
  for (const path of ['/node/kiln-1', '/%6eode/kiln-1', '//node/kiln-1', '/ports/../node/kiln-1', '/ports/1/x', '/healthz', '/'])
    expect([path, (await fetch(`${url}/standins${path}`)).status]).toEqual([path, 404]);
  expect(asked).toEqual([]);
});

it('an upgrade is handed on to a port, and to nothing else', async () => {
  const upgrade = async (path: string): Promise<string> => {
    const socket: Socket = connect(Number(new URL(url).port), '127.0.0.1');
    socket.write(`GET ${path} HTTP/1.1\r\nHost: x\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n\r\n`);
    const [said] = (await once(socket, 'data')) as [Buffer];
    socket.destroy();
    return said.toString().split('\r\n')[0]!;
  };
  expect(await upgrade('/standins/ports/1?board=wifi-dual-38')).toBe('HTTP/1.1 101 Switching Protocols');
  expect(await upgrade('/standins/node/kiln-1')).toBe('HTTP/1.1 404 Not Found');
  expect(await upgrade('/node/kiln-1')).toBe('HTTP/1.1 404 Not Found');
  expect(asked).toEqual(['upgrade /ports/1?board=wifi-dual-38']);
});

it('stand-ins that are away are a 502 that says what to do, and an upgrade to them ends; neither ends the server', async () => {
  const { port } = standins.address() as AddressInfo;
  standins.closeAllConnections();
  await new Promise((resolve) => standins.close(resolve));
  const answer = await fetch(`${url}/standins/ports`);
  expect([answer.status, ((await answer.json()) as { detail: string }).detail]).toEqual([502, expect.stringContaining('start them again')]);
  const socket = connect(Number(new URL(url).port), '127.0.0.1');
  socket.write('GET /standins/ports/1 HTTP/1.1\r\nHost: x\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n\r\n');
  await once(socket, 'close');
  standins.listen(port, '127.0.0.1');
  await once(standins, 'listening');
  expect((await fetch(`${url}/standins/ports`)).status).toBe(200);
});
