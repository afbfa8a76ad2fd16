// npm run certificate -- --name mill.lan --name 192.168.7.2: a certificate for these names, signed by a private authority of the building that is
// made once. Prints the authority's fingerprint, to be put into nodes and phones, and what to set. `--dir` says where (default: .data/tls).
import { X509Certificate } from 'node:crypto';
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { isIP } from 'node:net';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { ensureSystem } from './lib/prepare.mjs';
import { output, root } from './lib/run.mjs';

/** Longest that phones and browsers trust a certificate, and how long the building's authority is good for, days. */
const DAYS = 397;
const AUTHORITY_DAYS = 3650;

const { values } = parseArgs({ options: { name: { type: 'string', multiple: true, default: [] }, dir: { type: 'string' } } });
const bad = values.name.filter((name) => isIP(name) === 0 && !/^(?=.{1,253}$)([a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?\.?)+$/i.test(name));
if (values.name.length === 0 || bad.length > 0) {
  console.error(
    bad.length > 0
      ? `${bad.join(', ')}: no host name and no address`
      : 'Say for which names and addresses: npm run certificate -- --name mill.lan --name 192.168.7.2',
  );
  process.exit(2);
}
await ensureSystem('openssl');
const directory = resolve(values.dir ?? join(process.env.DEWPOST_DATA_DIR ?? join(root, '.data'), 'tls'));
mkdirSync(directory, { recursive: true, mode: 0o700 });
const at = (name) => join(directory, name);
const work = mkdtempSync(join(tmpdir(), 'dewpost-certificate-'));
const makeKey = async (file) => {
  await output('openssl', ['genpkey', '-algorithm', 'EC', '-pkeyopt', 'ec_paramgen_curve:P-256', '-out', file]);
  chmodSync(file, 0o600);
};

try {
  if (!existsSync(at('authority.crt'))) {
    await makeKey(at('authority.key'));
    await output('openssl', [
      ...['req', '-x509', '-new', '-key', at('authority.key'), '-days', String(AUTHORITY_DAYS), '-sha256'],
      ...['-subj', '/CN=Dew Post, authority of this building', '-out', at('authority.crt')],
      ...['-addext', 'basicConstraints=critical,CA:TRUE,pathlen:0', '-addext', 'keyUsage=critical,keyCertSign,cRLSign'],
    ]);
  }
  const names = values.name.map((name) => `${isIP(name) ? 'IP' : 'DNS'}:${name}`).join(',');
  writeFileSync(
    join(work, 'extensions'),
    `basicConstraints=critical,CA:FALSE\nkeyUsage=critical,digitalSignature\nextendedKeyUsage=serverAuth\nsubjectAltName=${names}\n`,
  );
  await makeKey(join(work, 'server.key'));
  await output('openssl', [
    'req',
    '-new',
    '-key',
    join(work, 'server.key'),
    '-subj',
    `/CN=${values.name[0]}`,
    '-out',
    join(work, 'request'),
  ]);
  await output('openssl', [
    ...['x509', '-req', '-in', join(work, 'request'), '-CA', at('authority.crt'), '-CAkey', at('authority.key'), '-CAcreateserial'],
    ...['-days', String(DAYS), '-sha256', '-extfile', join(work, 'extensions'), '-out', join(work, 'server.crt')],
  ]);
  // The key first: a server that looks between the two keeps what it has, and says so.
  for (const name of ['server.key', 'server.crt']) {
    writeFileSync(at(`${name}.new`), readFileSync(join(work, name)), { mode: 0o600 });
    renameSync(at(`${name}.new`), at(name));
  }
} finally {
  rmSync(work, { recursive: true, force: true });
}
const authority = new X509Certificate(readFileSync(at('authority.crt')));
console.log(`A certificate for ${values.name.join(', ')}, good for ${DAYS} days. The server takes it within ten seconds, without a restart.

  DEWPOST_TLS_CERTIFICATE=${at('server.crt')}
  DEWPOST_TLS_KEY=${at('server.key')}

Phones and nodes trust the building's authority: give them ${at('authority.crt')}
Its fingerprint (SHA-256), to compare by eye: ${authority.fingerprint256}
Keep authority.key to yourself: whoever has it can pretend to be any address.`);
