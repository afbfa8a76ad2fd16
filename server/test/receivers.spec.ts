import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { Receivers } from '../../standins/src/receivers';
import { openHouse, type Body, type House } from './house';

/** Whoever plays the outside in the demo, heard by the real ways of the house. */
const receivers = new Receivers();
const mail = receivers.mailServer();
let server: Server;
let origin: string;
let mailPort: number;
let house: House;
beforeAll(async () => {
  server = createServer((request, response) => {
    receivers
      .answer(`${request.method} ${request.url}`, request, origin)
      .then((answer) => response.writeHead(answer?.status ?? 404).end(JSON.stringify(answer?.body ?? {})))
      .catch(() => response.writeHead(400).end('{}'));
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  origin = `http://127.0.0.1:${port}`;
  await new Promise<void>((resolve) => mail.listen(0, '127.0.0.1', resolve));
  mailPort = (mail.server.address() as AddressInfo).port;
  house = await openHouse({ DEWPOST_OUTGOING_ALLOW: `127.0.0.1:${port},127.0.0.1:${mailPort}` });
});
afterAll(async () => {
  await house?.close();
  server?.close();
  await new Promise<void>((resolve) => mail.close(() => resolve()));
});

const tried = async (way: object): Promise<Body> => {
  const { body } = await house.maker.post('/api/v1/ways', way);
  return (await house.maker.post(`/api/v1/ways/${(body as Body).id as number}/test`, {})).body;
};
const WORDS = 'millwright tried this way. Nothing has to be done.';

it('a webhook, a mail without TLS and a push are taken and read; the newest stands first', async () => {
  expect(await tried({ kind: 'webhook', name: 'Night desk', url: `${origin}/hook` })).toMatchObject({ delivered: true });
  const letter = { kind: 'mail', name: 'Millwright', host: '127.0.0.1', port: mailPort, tls: 'none' };
  expect(await tried({ ...letter, from: 'mill@wrenfold.example', to: ['wright@wrenfold.example'] })).toMatchObject({ delivered: true });
  const { publicKey } = (await house.maker.get('/api/v1/push-key')).body as { publicKey: string };
  const asked = await fetch(`${origin}/push`, { method: 'POST', body: JSON.stringify({ publicKey }) });
  expect(await tried({ kind: 'push', name: 'Phone', ...((await asked.json()) as object) })).toMatchObject({ delivered: true });
  expect(receivers.list().map(({ by, title, text }) => [by, title, text.trim().split('\r\n')[0]])).toEqual([
    ['push', 'A test, nothing is wrong', WORDS],
    ['mail', 'Wrenfold Mill: A test, nothing is wrong', WORDS],
    ['webhook', 'A test, nothing is wrong', WORDS],
  ]);
});

it('what cannot be read is refused, and nothing of it is kept', async () => {
  const before = receivers.list().length;
  const post = async (path: string, body: string): Promise<number> => (await fetch(origin + path, { method: 'POST', body })).status;
  expect(await post('/hook', 'no JSON')).toBe(400);
  expect(await post('/hook', `{"title": "${'x'.repeat(70_000)}"}`)).toBe(400);
  expect(await post('/push', '{"publicKey": "short"}')).toBe(422);
  expect(await post('/push/00000000-0000-0000-0000-000000000000', 'x')).toBe(410);
  expect((await fetch(`${origin}/elsewhere`)).status).toBe(404);
  expect(receivers.list()).toHaveLength(before);
});
