import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { eventually, FakeNode, openHouse, type Body, type House } from './house';

const LINK = 'https://mill.example/respond/alerts';
let server: Server;
let hook: string;
const posted: Body[] = [];
let house: House;
beforeAll(async () => {
  server = createServer((request, response) => {
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => chunks.push(chunk));
    request.on('end', () => {
      posted.push(JSON.parse(Buffer.concat(chunks).toString()));
      response.end();
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  hook = `http://127.0.0.1:${port}/hook`;
  house = await openHouse({ DEWPOST_OUTGOING_ALLOW: `127.0.0.1:${port}`, DEWPOST_PUBLIC_URL: 'https://mill.example' });
});
afterAll(async () => {
  await house?.close();
  server?.close();
});

const rule = (point: number, alert: string): object => ({
  ...{ point, side: 'low', setpoint: 50, deadband: 2, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning', output: null },
  words: { alert },
});

it('an alert says it in its own words, with what other points read; its way posts it by a template, and quotes break nothing', async () => {
  const template = '{"say": "{title}: {text}", "alert": "{alertId}", "where": "{link}"}';
  expect((await house.maker.post('/api/v1/ways', { kind: 'webhook', name: 'Desk', url: hook, template })).status).toBe(200);
  const [outside, loft] = [await house.node('weir-1'), await house.node('loft-1')];
  const [there, here] = [
    await FakeNode.connect(house.server.mqttPort, outside.id, outside.key),
    await FakeNode.connect(house.server.mqttPort, loft.id, loft.key),
  ];
  await there.up([{ n: 'temperature', v: 4.25 }]);
  const words = 'Only {value} {unit} (limit {limit}) in "{room}"; outside {weir-1/temperature}, damp there {weir-1/humidity}.';
  const asked = rule(loft.points['humidity']!, words);
  const before = await eventually(async () => {
    const { body } = await house.maker.post('/api/v1/thresholds/preview', asked);
    return /outside 4\.\d+ °C/.test((body as Body).text as string) && (body as Body);
  }, 'what the other reads is known');
  // A preview arms nothing.
  expect((await house.maker.get('/api/v1/thresholds')).body).toEqual([]);
  const by = (way: string): Body => before.reads.find((one: Body) => one.by === way);
  expect(by('mail').body).toBe(`${before.text}\n\n${LINK}`);
  expect(by('node').body).toBe(`${before.title}. ${before.text}`);

  expect((await house.maker.post('/api/v1/thresholds', asked)).status).toBe(200);
  await here.say(45);
  await eventually(() => posted.length > 0, 'posted');
  // What never reported is a dash; a name in quotation marks stays within its string.
  expect(posted[0]).toEqual({
    say: expect.stringMatching(/^.+ too low: Only 45\S* % \(limit 50\S* %\) in "[^"]+"; outside 4\.\d+ °C, damp there –\.$/) as string,
    alert: expect.any(Number) as number,
    where: LINK,
  });
  await Promise.all([there.end(), here.end()]);
});

it('words that grow long as they are filled in still arrive', async () => {
  const { id, key, points } = await house.node('loft-3', 'A room with a name that is as long as a name of it may be');
  const link = await FakeNode.connect(house.server.mqttPort, id, key);
  const before = house.handset.messages.length;
  await house.maker.post('/api/v1/thresholds', rule(points['humidity']!, '{room} '.repeat(60).trim()));
  await link.say(45);
  await eventually(() => house.handset.messages.length > before, 'on the handset');
  expect((house.handset.messages.at(-1) as Body).text.length).toBeLessThanOrEqual(800);
  await link.end();
});

it('words that could not be filled in, or that are no plain text, are refused before anything is armed', async () => {
  const { points } = await house.node('loft-2');
  const refusal = async (alert: string): Promise<string> => {
    const { status, body } = await house.maker.post('/api/v1/thresholds', rule(points['humidity']!, alert));
    expect(status).toBe(422);
    return JSON.stringify(body);
  };
  expect(await refusal('Ask {nobody-1/temperature}')).toContain('There is no point temperature at nobody-1');
  expect(await refusal('{wert}')).toContain('{wert} stands for nothing');
  expect(await refusal('Close <b>now</b>')).toContain('plain words only: <b>');
  expect((await house.keeper.post('/api/v1/thresholds/preview', rule(points['humidity']!, 'x'))).status).toBe(403);
  const bad = { kind: 'webhook', name: 'x', url: hook, template: '{"a": {title}}' };
  expect(JSON.stringify((await house.maker.post('/api/v1/ways', bad)).body)).toContain('no JSON');
});
