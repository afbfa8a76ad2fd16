import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { request, type IncomingHttpHeaders } from 'node:http';
import { request as overTls } from 'node:https';
import { createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { readConfig } from '../src/config/config';
import { eventually, openHouse, type House } from './house';

const freePort = (): Promise<number> =>
  new Promise((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as AddressInfo;
      server.close(() => resolve(port));
    });
  });

let house: House;
let nginx: ChildProcess;
let folder = '';
let port = 0;
/** As in the README: TLS ends at nginx, which says who asks and how. */
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'dewpost-tls-'));
  const [key, certificate] = [join(folder, 'key.pem'), join(folder, 'certificate.pem')];
  execFileSync(
    'openssl',
    [
      'req',
      '-x509',
      '-newkey',
      'ec',
      '-pkeyopt',
      'ec_paramgen_curve:prime256v1',
      '-nodes',
      '-days',
      '1',
      '-subj',
      '/CN=mill.example',
      '-keyout',
      key,
      '-out',
      certificate,
    ],
    { stdio: 'ignore' },
  );
  port = await freePort();
  house = await openHouse({
    DEWPOST_PUBLIC_URL: `https://mill.example:${port}, https://mill.example`,
    DEWPOST_TRUSTED_PROXIES: 'loopback',
  });
  writeFileSync(
    join(folder, 'nginx.conf'),
    `daemon off; pid ${folder}/pid; error_log ${folder}/error.log; worker_processes 1;
     events { worker_connections 64; }
     http {
       access_log off; client_body_temp_path ${folder}/body; proxy_temp_path ${folder}/proxy; fastcgi_temp_path ${folder}/f; uwsgi_temp_path ${folder}/u; scgi_temp_path ${folder}/s;
       server {
         listen 127.0.0.1:${port} ssl; ssl_certificate ${certificate}; ssl_certificate_key ${key};
         location / {
           proxy_pass ${house.server.url}; proxy_http_version 1.1; proxy_buffering off;
           proxy_set_header Host $http_host; proxy_set_header X-Forwarded-For $remote_addr; proxy_set_header X-Forwarded-Proto $scheme;
         }
       }
     }`,
  );
  nginx = spawn(existsSync('/usr/sbin/nginx') ? '/usr/sbin/nginx' : 'nginx', ['-c', join(folder, 'nginx.conf'), '-p', folder], {
    stdio: 'ignore',
  });
  await eventually(async () => (await ask('GET', '/healthz').catch(() => null))?.status === 200, 'nginx');
});
afterAll(async () => {
  nginx?.kill('SIGTERM');
  await house?.close();
  if (folder) rmSync(folder, { recursive: true, force: true });
});

interface Reply {
  status: number;
  headers: IncomingHttpHeaders;
  body: string;
}
function ask(method: string, path: string, headers: Record<string, string> = {}, body = '', direct = false): Promise<Reply> {
  return new Promise((resolve, reject) => {
    const url = new URL(house.server.url);
    const options = {
      host: '127.0.0.1',
      port: direct ? url.port : port,
      method,
      path,
      headers: { host: `mill.example:${port}`, 'content-length': String(body.length), ...headers },
    };
    const outgoing = direct ? request(options) : overTls({ ...options, rejectUnauthorized: false, servername: 'mill.example' });
    outgoing.on('response', (answer) => {
      let text = '';
      answer.on('data', (chunk: Buffer) => (text += chunk.toString()));
      answer.on('end', () => resolve({ status: answer.statusCode ?? 0, headers: answer.headers, body: text }));
    });
    outgoing.on('error', reject);
    outgoing.end(body);
  });
}
const credentials = JSON.stringify({ name: 'millwright', password: 'a long password' });
const json = { 'content-type': 'application/json' };

describe('behind TLS', () => {
  it('the public address opens the page; its cookie is for TLS and this host alone, and works', async () => {
    const entered = await ask('POST', '/api/v1/session', { ...json, origin: `https://mill.example:${port}` }, credentials);
    expect(entered.status).toBe(200);
    const [cookie = ''] = entered.headers['set-cookie'] ?? [];
    expect(cookie).toMatch(/^__Host-dewpost\.session=.+; Path=\/; .*HttpOnly; Secure; SameSite=Strict/);
    const inside = await ask('GET', '/api/v1/snapshot', { cookie: cookie.split(';')[0]! });
    expect(inside.status).toBe(200);
    // Links and labels carry the address that people reach.
    expect((JSON.parse(inside.body) as { site: { address: string } }).site.address).toBe(`https://mill.example:${port}`);
  });

  it('without a port in the name, as on 443; other schemes and other names are refused', async () => {
    expect((await ask('GET', '/api/v1/door', { host: 'mill.example' })).status).toBe(200);
    const sign = (origin: string, host = 'mill.example') => ask('POST', '/api/v1/session', { ...json, host, origin }, credentials);
    expect((await sign('https://mill.example')).status).toBe(200);
    expect((await sign('http://mill.example')).status).toBe(403);
    expect((await sign(`https://mill.example:${port}`)).status).toBe(403);
    expect((await sign('https://evil.example')).status).toBe(403);
    expect((await ask('GET', '/api/v1/door', { host: 'evil.example' })).status).toBe(421);
  });

  it('a share link’s cookie is for TLS too; on the plain address in the house it is not, and works there', async () => {
    const { body } = await house.maker.post('/api/v1/shares', {
      dashboard: (await house.node('tls-1')) && 'proving-room',
      label: 'x',
      days: 1,
    });
    const open = (direct: boolean, host: string) =>
      ask(
        'POST',
        '/api/v1/shared/session',
        { ...json, host, 'sec-fetch-site': 'same-origin' },
        JSON.stringify({ token: body.token }),
        direct,
      );
    expect((await open(false, `mill.example:${port}`)).headers['set-cookie']?.[0]).toMatch(/Secure/);
    const plain = await open(true, new URL(house.server.url).host);
    expect([plain.status, /Secure/.test(plain.headers['set-cookie']?.[0] ?? '')]).toEqual([200, false]);
  });

  it('only a trusted proxy is believed who asks: a made-up address does not get round the limits', async () => {
    const from = (address: string) =>
      ask('POST', '/api/v1/session', { ...json, 'x-forwarded-for': address }, JSON.stringify({ name: 'guessed', password: 'no' }));
    const statuses: number[] = [];
    for (let i = 0; i < 12; i++) statuses.push((await from(`203.0.113.${i}`)).status);
    // nginx puts the address it sees in the place of what was sent.
    expect(statuses.filter((status) => status === 429)).toHaveLength(2);
  });

  it('a public address that cannot be used names itself', () => {
    const wrong = (url: string) => () => readConfig({ DATABASE_URL: 'postgres://x', DEWPOST_PUBLIC_URL: url });
    expect(wrong('mill.example')).toThrow(/DEWPOST_PUBLIC_URL: addresses such as/);
    expect(wrong('https://mill.example/dew')).toThrow(/without a path/);
    expect(wrong('ftp://mill.example')).toThrow(/DEWPOST_PUBLIC_URL/);
  });
});
