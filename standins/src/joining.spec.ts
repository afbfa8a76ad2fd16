import type { PortMishap } from '@dewpost/core/mishaps';
import { nodeConfigurationSchema } from '@dewpost/core/wire';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { NodePage } from './node-page';
import { Networks } from './network';
import { Room } from './room';
import { SimulatedNode } from './simulated-node';
import { factoryFlash } from './updater';

const air = { celsius: 20, swingCelsius: 0, swingSeconds: 60, startPercent: 50, restPercent: 50, humidifiedPercent: 60, tauSeconds: 10 };
const networks = new Networks([
  { name: 'mill', passphrase: 'nine sacks of barley', rssiDbm: -55 },
  { name: '<script>alert(1)</script>', passphrase: 'somebody elses', rssiDbm: -80 },
]);
const running: (SimulatedNode | Server)[] = [];
afterEach(() => {
  for (const one of running.splice(0)) {
    if (one instanceof SimulatedNode) one.stop();
    else one.close();
  }
});

/** A node a thousand times as impatient as a real one, with its log and its own page. */
async function node(change: object, mishap: PortMishap = 'none') {
  const log: string[] = [];
  const configuration = nodeConfigurationSchema.parse({
    revision: 1,
    node: 'shelf-1',
    key: 'k'.repeat(22),
    room: 'Loft',
    sheet: 'Climate post',
    broker: { host: '127.0.0.1', port: 1 },
    networks: [{ name: 'mill', passphrase: 'forgotten long ago' }],
    reportSeconds: 1,
    points: [{ name: 'temperature', unit: '°C' }],
    outputs: [
      {
        point: 'fan',
        guards: { minOnSeconds: 0, minOffSeconds: 3600, maxRunSeconds: null, restSeconds: 0 },
        leaseSeconds: 60,
        readBack: 'pin',
      },
    ],
    setupPassword: 'on-the-label',
    ...change,
  });
  const one = new SimulatedNode(configuration, {
    hardwareId: 'dw-1',
    board: 'wifi-dual-38',
    flash: factoryFlash('dewnode 1.0.0', 'a'.repeat(64)),
    trialMs: 1000,
    airMishap: () => 'none',
    keep: () => undefined,
    room: new Room(air, Date.now(), 0),
    battery: null,
    networks,
    joinMs: 1,
    noise: { celsius: 0, percent: 0 },
    mishap,
    patience: 0.001,
    bootLog: (_, text, code) => void log.push(code ?? text),
  });
  const page = new NodePage(one);
  const server = createServer(
    (request, response) => void page.answer(request, response, /\/(setup|sign-in|switch)$/.exec(request.url ?? '')?.[1] ?? ''),
  );
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  running.push(one, server);
  one.start();
  const base = `http://127.0.0.1:${(server.address() as AddressInfo).port}/node/shelf-1`;
  const until = async (code: string): Promise<void> => {
    for (let i = 0; i < 300 && !log.includes(code); i++) await new Promise((resolve) => setTimeout(resolve, 10));
    expect(log).toContain(code);
  };
  return { one, log, base, until };
}
const form = (base: string, action: string, fields: Record<string, string>, headers: Record<string, string> = {}) =>
  fetch(`${base}/${action}`, { method: 'POST', body: new URLSearchParams(fields), redirect: 'manual', headers });

describe('a node without a network', () => {
  it('on the mains opens its set-up network, is set up on its own page, and joins', async () => {
    const { one, log, base, until } = await node({});
    await until('setup-open');
    expect(log).toContain('wrong-passphrase');
    const text = await (await fetch(base)).text();
    expect(text).toContain('mill, -55 dBm');
    // What is heard comes from strangers, and no secret is shown.
    expect(text).not.toContain('<script>');
    expect(text).not.toMatch(/forgotten|on-the-label|kkkk/);
    expect((await form(base, 'setup', { network: 'mill', passphrase: 'short' })).status).toBe(422);
    expect(
      (await form(base, 'setup', { network: 'mill', passphrase: 'nine sacks of barley' }, { origin: 'http://evil.example' })).status,
    ).toBe(403);
    expect((await form(base, 'setup', { network: 'mill', passphrase: 'nine sacks of barley' })).status).toBe(200);
    await until('joined');
    expect(one.configuration.networks.map(({ name }) => name)).toEqual(['mill']);
    expect((await form(base, 'setup', { network: 'mill', passphrase: 'nine sacks of barley' })).status).toBe(409);
  });
  it('on a battery sleeps instead, and opens nothing', async () => {
    const { log, base, until } = await node({ join: { seconds: 10, then: 'back off' } });
    await until('backing-off');
    expect(log).not.toContain('setup-open');
    expect((await fetch(base)).status).toBe(503);
  });
  it.each([
    ['no-address', 'no-address'],
    ['address-taken', 'address-taken'],
    ['weak-signal', 'weak-signal'],
    ['hidden-name', 'name-not-found'],
    ['broker-refused', 'broker-refused'],
    ['clock-not-set', 'clock-not-set'],
    ['name-clash', 'name-clash'],
  ] as const)('says %s by its code', async (mishap, code) => {
    const { until } = await node({ networks: [{ name: 'mill', passphrase: 'nine sacks of barley' }] }, mishap);
    await until(code);
  });
});

describe('a node’s own page once it has joined', () => {
  it('shows what it measures to anybody, and switches only with the label’s password and within its guards', async () => {
    const { one, base, until } = await node({ networks: [{ name: 'mill', passphrase: 'nine sacks of barley' }] });
    await until('joined');
    expect(await (await fetch(base)).text()).toMatch(/fan is <b>off<\/b>/);
    expect((await form(base, 'switch', { point: 'fan', on: '1' })).status).toBe(403);
    expect((await form(base, 'sign-in', { password: 'guessed' })).status).toBe(403);
    const signed = await form(base, 'sign-in', { password: 'on-the-label' });
    const [cookie] = signed.headers.getSetCookie();
    expect(cookie).toMatch(/HttpOnly; SameSite=Strict; Path=\/node\/shelf-1/);
    // An hour off after power-up: the guard holds here as well.
    const held = await form(base, 'switch', { point: 'fan', on: '1' }, { cookie: cookie!.split(';')[0]! });
    expect(await held.text()).toContain('Held: min-off');
    expect(one.outputs.isOn('fan')).toBe(false);
  });
});
