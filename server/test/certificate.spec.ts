import { execFile, execFileSync } from 'node:child_process';
import mqtt from 'mqtt';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { request } from 'node:https';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { connect, type PeerCertificate } from 'node:tls';
import { promisify } from 'node:util';
import { pino } from 'pino';
import { readConfig } from '../src/config/config';
import { Certificate } from '../src/net/certificate';
import { eventually, openHouse, type House } from './house';

const run = promisify(execFile);
const folder = mkdtempSync(join(tmpdir(), 'dewpost-authority-'));
const at = (name: string): string => join(folder, name);
/** As `npm run certificate` does. */
const make = (...names: string[]): string =>
  execFileSync(process.execPath, ['scripts/certificate.mjs', '--dir', folder, ...names.flatMap((name) => ['--name', name])], {
    encoding: 'utf8',
    cwd: join(__dirname, '../..'),
  });

let house: House;
let said = '';
beforeAll(async () => {
  said = make('localhost', '127.0.0.1');
  house = await openHouse({
    DEWPOST_TLS_CERTIFICATE: at('server.crt'),
    DEWPOST_TLS_KEY: at('server.key'),
    DEWPOST_HTTPS_PORT: '0',
    DEWPOST_MQTTS_PORT: '0',
  });
});
afterAll(async () => {
  await house?.close();
  rmSync(folder, { recursive: true, force: true });
});

const ask = (path: string, headers: Record<string, string> = {}, ca?: Buffer): Promise<{ status: number; cookies: string[] }> =>
  new Promise((resolve, reject) => {
    const body = JSON.stringify({ name: 'millwright', password: 'a long password' });
    const call = request(
      {
        host: '127.0.0.1',
        port: house.server.httpsPort,
        path,
        method: path === '/healthz' ? 'GET' : 'POST',
        ca,
        headers: { 'content-type': 'application/json', ...headers },
      },
      (answer) => {
        answer.resume();
        resolve({ status: answer.statusCode ?? 0, cookies: answer.headers['set-cookie'] ?? [] });
      },
    );
    call.on('error', reject);
    call.end(path === '/healthz' ? undefined : body);
  });

describe('the building’s own certificate', () => {
  it('says what to set and whom to trust, and keeps its keys to itself', () => {
    expect(said).toContain(`DEWPOST_TLS_CERTIFICATE=${at('server.crt')}`);
    expect(said).toMatch(/SHA-256.*: ([0-9A-F]{2}:){31}[0-9A-F]{2}/);
    expect(execFileSync('stat', ['-c', '%a', at('authority.key'), at('server.key')], { encoding: 'utf8' })).toBe('600\n600\n');
  });
  it('no name, or one that is none, is refused in words', () => {
    expect(() => make()).toThrow(/Say for which names/);
    expect(() => make('not a name')).toThrow(/no host name/);
  });

  it('the page is served with it, its cookie for TLS only; who does not trust the authority is not let in', async () => {
    const ca = readFileSync(at('authority.crt'));
    expect((await ask('/healthz', {}, ca)).status).toBe(200);
    const { status, cookies } = await ask('/api/v1/session', {}, ca);
    expect([status, cookies.join()]).toEqual([200, expect.stringMatching(/^__Host-.*; Secure/)]);
    expect((await ask('/api/v1/session', { origin: `http://127.0.0.1:${house.server.httpsPort}` }, ca)).status).toBe(403);
    await expect(ask('/healthz')).rejects.toThrow(/self.signed|unable to verify|issuer/i);
  });

  it('mosquitto_pub 3.1.1 publishes over TLS with the authority, and is refused without', async () => {
    const { key } = await house.node('tls-1');
    const args = (...trust: string[]): string[] => [
      ...['-h', '127.0.0.1', '-p', String(house.server.mqttsPort), '-V', 'mqttv311', '-u', 'tls-1', '-P', key, '-i', 'tls-1', '-q', '1'],
      ...['-t', 'dp/1/tls-1/up', '-m', '{"humidity":64}', ...trust],
    ];
    await run('mosquitto_pub', args('--cafile', at('authority.crt')));
    expect((await house.maker.get('/api/v1/points/tls-1/humidity/readings')).body.readings).toHaveLength(1);
    make('elsewhere.example');
    const other = mkdtempSync(join(tmpdir(), 'dewpost-other-'));
    execFileSync(
      'openssl',
      [
        'req',
        '-x509',
        '-newkey',
        'ec',
        '-pkeyopt',
        'ec_paramgen_curve:P-256',
        '-nodes',
        '-subj',
        '/CN=x',
        '-keyout',
        join(other, 'k'),
        '-out',
        join(other, 'c'),
      ],
      {
        stdio: 'ignore',
      },
    );
    await expect(run('mosquitto_pub', args('--cafile', join(other, 'c')))).rejects.toThrow(
      /certificate verify failed|TLS error|SSL|failed/i,
    );
    rmSync(other, { recursive: true });
  });

  it('old ciphers and TLS 1.1 are not spoken', async () => {
    const greet = (options: object): Promise<string> =>
      new Promise((resolve) => {
        const socket = connect({ host: '127.0.0.1', port: house.server.httpsPort ?? 0, rejectUnauthorized: false, ...options }, () => {
          resolve(socket.getProtocol() ?? '');
          socket.destroy();
        });
        socket.on('error', (error) => resolve(error.message));
      });
    expect(await greet({ maxVersion: 'TLSv1.1', minVersion: 'TLSv1.1' })).not.toMatch(/^TLSv/);
    expect(await greet({ maxVersion: 'TLSv1.2', ciphers: 'AES128-SHA' })).not.toMatch(/^TLSv/);
    expect(await greet({})).toBe('TLSv1.3');
  });

  it('is read anew without dropping who is there; a broken one leaves the one before in force', async () => {
    const log = pino({ level: 'silent' });
    make('first.example');
    const certificate = new Certificate({ certificate: at('server.crt'), key: at('server.key') }, log);
    expect(certificate.facts().names).toEqual(['first.example']);
    expect(certificate.daysLeft(Date.now())).toBeGreaterThan(390);
    make('second.example');
    certificate.look();
    expect([certificate.facts().names, certificate.problem]).toEqual([['second.example'], null]);
    const { fingerprint } = certificate.facts();
    writeFileSync(at('server.key'), 'not a key');
    certificate.look();
    expect([certificate.facts().fingerprint, certificate.problem]).toEqual([
      fingerprint,
      expect.stringMatching(/cannot be used with the key/),
    ]);

    make('localhost', '127.0.0.1');
    const { key } = await house.node('tls-2');
    const ca = readFileSync(at('authority.crt'));
    const link = await mqtt.connectAsync({
      protocol: 'mqtts' as const,
      host: '127.0.0.1',
      port: house.server.mqttsPort ?? 0,
      ca,
      protocolVersion: 4 as const,
      username: 'tls-2',
      password: key,
      clientId: 'tls-2',
      reconnectPeriod: 0,
    });
    let closed = false;
    link.on('close', () => (closed = true));
    const served = (): Promise<string> =>
      new Promise((resolve) => {
        const socket = connect({ host: '127.0.0.1', port: house.server.mqttsPort ?? 0, rejectUnauthorized: false }, () => {
          const { fingerprint256 }: PeerCertificate = socket.getPeerCertificate();
          resolve(fingerprint256);
          socket.destroy();
        });
      });
    const before = await served();
    make('localhost', '127.0.0.1', 'again.example');
    await eventually(async () => (await served()) !== before, 'the new certificate');
    expect(closed).toBe(false);
    await link.publishAsync('dp/1/tls-2/up', '{"humidity":50}', { qos: 1 });
    await link.endAsync(true);
  });

  it('a key of another certificate, or one alone, keeps the server from starting with a clear line', () => {
    const key = at('lonely.key');
    execFileSync('openssl', ['genpkey', '-algorithm', 'EC', '-pkeyopt', 'ec_paramgen_curve:P-256', '-out', key]);
    expect(() => new Certificate({ certificate: at('server.crt'), key }, pino({ level: 'silent' }))).toThrow(/cannot be used with the key/);
    expect(() => readConfig({ DATABASE_URL: 'postgres://x', DEWPOST_TLS_KEY: key })).toThrow(/belong together/);
  });
});
