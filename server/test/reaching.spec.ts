import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { createServer as createTlsServer } from 'node:https';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { isInternal } from '../src/net/internal';
import { addressesOf } from '../src/reaching/addresses';
import { checkAddress } from '../src/reaching/check';
import { openHouse, type House } from './house';

describe('addresses', () => {
  it.each([
    ['10.20.0.2', true],
    ['172.31.255.255', true],
    ['172.32.0.1', false],
    ['192.168.7.2', true],
    ['100.64.0.1', true],
    ['169.254.169.254', true],
    ['127.0.0.53', true],
    ['0.0.0.0', true],
    ['203.0.113.7', false],
    ['::1', true],
    ['fd00::1', true],
    ['fe80::1', true],
    ['::ffff:10.0.0.1', true],
    ['2001:db8::1', false],
    ['no address', true],
  ])('%s lies inside: %s', (address, inside) => expect(isInternal(address)).toBe(inside));

  const ports = { http: 8480, https: 8443, mqtt: 1883, mqtts: null };
  it('on loopback only this computer is reached, whatever else is configured', () => {
    const all = addressesOf({ bind: '127.0.0.1', hosts: ['mill.lan'], nodeAddress: '192.168.7.2', publicOrigins: [] }, ports, [
      '192.168.7.2',
    ]);
    expect(all.map(({ url, reach }) => [url, reach])).toEqual([
      ['http://127.0.0.1:8480', 'computer'],
      ['https://127.0.0.1:8443', 'computer'],
      ['mqtt://127.0.0.1:1883', 'computer'],
    ]);
  });
  it('on every address the building’s names are listed, and what stands before it from outside; each once', () => {
    const config = {
      bind: '0.0.0.0',
      hosts: ['mill.lan'],
      nodeAddress: '192.168.7.2',
      publicOrigins: ['https://mill.example', 'http://192.168.7.2:8480'],
    };
    const all = addressesOf(config, { ...ports, https: null }, ['192.168.7.2', 'fd00::2']);
    expect(all.filter(({ what }) => what === 'page').map(({ url, reach, tls }) => [url, reach, tls])).toEqual([
      ['http://127.0.0.1:8480', 'computer', false],
      ['http://192.168.7.2:8480', 'building', false],
      ['http://[fd00::2]:8480', 'building', false],
      ['http://mill.lan:8480', 'building', false],
      ['https://mill.example', 'outside', true],
    ]);
  });
});

/** Listens on a free port, and gives it. */
const open = (server: Server): Promise<number> =>
  new Promise((resolve) => server.listen(0, '127.0.0.1', () => resolve((server.address() as AddressInfo).port)));

describe('the check', () => {
  const folder = mkdtempSync(join(tmpdir(), 'dewpost-check-'));
  const certify = (name: string, days: string): { key: Buffer; cert: Buffer } => {
    const [key, cert] = [join(folder, `${name}.key`), join(folder, `${name}.crt`)];
    const args = ['req', '-x509', '-newkey', 'ec', '-pkeyopt', 'ec_paramgen_curve:P-256', '-nodes', '-subj', `/CN=${name}`];
    execFileSync('openssl', [...args, '-days', days, '-keyout', key, '-out', cert], { stdio: 'ignore' });
    return { key: readFileSync(key), cert: readFileSync(cert) };
  };
  let house: House;
  beforeAll(async () => (house = await openHouse()), 60_000);
  afterAll(async () => {
    await house?.close();
    rmSync(folder, { recursive: true, force: true });
  });
  const ask = (url: string) => house.maker.post('/api/v1/reaching/check', { url });

  it('finds itself, step by step', async () => {
    const { body } = await ask(house.server.url);
    expect([body.ok, body.cause, body.steps.map(({ state }: { state: string }) => state)]).toEqual([
      true,
      null,
      ['passed', 'passed', 'not needed', 'passed'],
    ]);
  });
  it('says where it stops: no such name, no such port, no Dew Post, another one', async () => {
    const nowhere = await checkAddress('https://mill.invalid', {
      own: [],
      serverId: 'x',
      resolve: () => Promise.reject(Object.assign(new Error('no'), { code: 'ENOTFOUND' })),
    });
    expect([nowhere.ok, nowhere.cause]).toEqual([false, 'Nobody knows the name mill.invalid here.']);
    const closed = createServer();
    const port = await open(closed);
    await new Promise((done) => closed.close(done));
    expect((await ask(`http://127.0.0.1:${port}`)).body).toMatchObject({
      ok: false,
      cause: `Nothing listens at port ${port} of 127.0.0.1.`,
    });

    const stranger = createServer((request, response) => {
      if (request.url === '/healthz') response.writeHead(302, { location: 'http://127.0.0.1:1/' }).end();
    });
    const at = `http://127.0.0.1:${await open(stranger)}`;
    expect((await ask(at)).body.cause).toMatch(/not Dew Post \(it answered 302\)/);
    stranger.close();
    const twin = createServer((_, response) => response.end('{"ok":true,"server":"another"}'));
    expect((await ask(`http://127.0.0.1:${await open(twin)}`)).body.cause).toMatch(/Another Dew Post/);
    twin.close();
  });
  it('says what is wrong with a certificate: signed by nobody known', async () => {
    const server = createTlsServer(certify('localhost', '2'), (_, response) => response.end('{}'));
    const { body } = await ask(`https://localhost:${await open(server)}`);
    expect([body.steps.map(({ state }: { state: string }) => state), body.next]).toEqual([
      ['passed', 'passed', 'failed', 'not reached'],
      expect.stringMatching(/authority\.crt/),
    ]);
    server.close();
  });
  it('asks no other machine of the building, and only makers may ask', async () => {
    const { body } = await ask('http://10.99.99.99:5432');
    expect([body.ok, body.cause]).toEqual([false, expect.stringMatching(/another machine of the building/)]);
    expect(body.steps.find(({ step }: { step: string }) => step === 'port')).toMatchObject({ text: 'not asked' });
    for (const url of ['file:///etc/passwd', 'gopher://x', 'nonsense']) expect((await ask(url)).status).toBe(422);
    expect((await house.keeper.post('/api/v1/reaching/check', { url: house.server.url })).status).toBe(403);
  });
  it('lists what it is reached by, and who came in by it', async () => {
    const { body } = await house.maker.get('/api/v1/reaching');
    const mine = body.addresses.find(({ url }: { url: string }) => url === house.server.url);
    expect(mine).toMatchObject({ what: 'page', reach: 'computer', tls: false });
    expect(mine.people).toBeGreaterThanOrEqual(1);
    expect([body.loopbackOnly, body.certificate, body.nodeAddressReaches]).toEqual([true, null, false]);
  });
});
