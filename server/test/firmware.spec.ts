import { manifestSchema, signedText } from '@dewpost/core/firmware';
import { execFile } from 'node:child_process';
import { createHash, generateKeyPairSync, sign } from 'node:crypto';
import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { manifestOf as manifestOfRow } from '../src/provision/firmware';
import { isSignedBy } from '../src/provision/signing';
import { logged, openHouse, type House } from './house';

let house: House;
beforeAll(async () => {
  house = await openHouse();
});
afterAll(() => house.close());

const image = (version: string, bytes = 40_000): Buffer => Buffer.alloc(bytes, `image ${version} `);
const manifestOf = (bytes: Buffer, more: object = {}) =>
  manifestSchema.parse({
    format: 1,
    name: 'ownnode',
    version: '2.0.0',
    board: 'wifi-dual-38',
    bytes: bytes.length,
    sha256: createHash('sha256').update(bytes).digest('hex'),
    ...more,
  });
const upload = async (bytes: Buffer, manifest: object): Promise<{ status: number; body: { id?: string; detail?: string } }> => {
  const answer = await fetch(`${house.server.url}/api/v1/firmware`, {
    method: 'PUT',
    headers: {
      cookie: house.maker.cookie(),
      origin: house.server.url,
      'content-type': 'application/octet-stream',
      'x-image-manifest': Buffer.from(JSON.stringify(manifest)).toString('base64'),
    },
    body: new Uint8Array(bytes),
  });
  return { status: answer.status, body: (await answer.json()) as { id?: string; detail?: string } };
};
const library = async (): Promise<{ id: string; version: string; sha256: string; signedBy: string | null }[]> =>
  (await house.maker.get('/api/v1/firmware')).body;
const partFiles = (): string[] => readdirSync(join(house.dataDirectory, 'firmware')).filter((name) => name.endsWith('.part'));

describe('signatures', () => {
  // Source: RFC 8032 §7.1, test vectors 1 and 2.
  const vectors = [
    [
      'd75a980182b10ab7d54bfed3c964073a0ee172f3daa62325af021a68f707511a',
      '',
      'e5564300c360ac729086e2cc806e828a84877f1eb8e5d974d873e065224901555fb8821590a33bacc61e39701cf9b46bd25bf5f0595bbe24655141438e7a100b',
    ],
    [
      '3d4017c3e843895a92b70aa74d1b7ebc9c982ccf2ec4968cc0cd55f12af4660c',
      '72',
      '92a009a9f0d4cab8720e820b5f642540a2b27b5416503f8fb3762223ebdb69da085ac1e43e15996e458f3613d0f11d8c387b2eaeb4302aeeb00d291612bb0c00',
    ],
  ] as const;
  it('are those of the published vectors, and of nothing else', () => {
    const base64 = (hex: string): string => Buffer.from(hex, 'hex').toString('base64');
    for (const [key, message, signature] of vectors) {
      expect(isSignedBy(base64(key), Buffer.from(message, 'hex'), base64(signature))).toBe(true);
      expect(isSignedBy(base64(key), Buffer.from(`${message}00`, 'hex'), base64(signature))).toBe(false);
    }
    expect(isSignedBy(base64(vectors[0][0]), Buffer.from('72', 'hex'), base64(vectors[1][2]))).toBe(false);
    expect(isSignedBy('AAAA', 'x', base64(vectors[0][2]))).toBe(false);
  });
});

describe('the firmware library', () => {
  it('keeps an image whose digest is as its manifest says, and hands it out by ranges (curl)', async () => {
    const bytes = image('2.0.0', 300_000);
    const { status, body } = await upload(bytes, manifestOf(bytes));
    expect([status, body.id]).toEqual([201, 'ownnode-2.0.0-wifi-dual-38']);
    const url = `${house.server.url}/api/v1/firmware/${body.id}/image`;
    const part = async (range: string): Promise<Buffer> =>
      (
        await promisify(execFile)('curl', ['-sS', '-f', '-r', range, '-b', house.maker.cookie(), url], {
          maxBuffer: 1e6,
          encoding: 'buffer',
        })
      ).stdout;
    const whole = Buffer.concat([await part('0-99999'), await part('100000-199999'), await part('200000-')]);
    expect(createHash('sha256').update(whole).digest('hex')).toBe(manifestOf(bytes).sha256);
    expect((await upload(bytes, manifestOf(bytes, { notes: 'again' }))).status).toBe(201);
    expect((await library()).filter((one) => one.version === '2.0.0')).toHaveLength(1);
  });
  it('refuses a changed byte, a cut image, one too long, a wrong board and a version with other content; nothing stays behind', async () => {
    const before = (await library()).length;
    const bytes = image('2.1.0');
    const manifest = manifestOf(bytes, { version: '2.1.0' });
    const flipped = Buffer.from(bytes);
    flipped[1000]! ^= 1;
    for (const [sent, said, says] of [
      [flipped, manifest, /digest of the image is/],
      [bytes.subarray(0, 30_000), manifest, /has 30000 bytes, its manifest says 40000: it was cut short/],
      [Buffer.concat([bytes, bytes]), manifest, /longer than the 40000 bytes/],
      [bytes, { ...manifest, board: 'no-such-board' }, /no board profile no-such-board/],
      [bytes, { ...manifest, version: 'two' }, /manifest\.version: a version has three numbers/],
    ] as const) {
      const answer = await upload(sent, said);
      expect([answer.status, answer.body.detail]).toEqual([422, expect.stringMatching(says)]);
    }
    const other = image('other');
    expect((await upload(other, manifestOf(other))).body.detail).toMatch(
      /is here with other content: give the changed image a new version/,
    );
    // Two versions that would lie under one name.
    const [plus, minus] = ['0.9.0+a', '0.9.0-a'].map((version) => ({ version, bytes: image(version) }));
    expect((await upload(plus!.bytes, manifestOf(plus!.bytes, { version: plus!.version }))).status).toBe(201);
    const clash = await upload(minus!.bytes, manifestOf(minus!.bytes, { version: minus!.version }));
    expect([clash.status, clash.body.detail]).toEqual([409, expect.stringMatching(/0\.9\.0\+a is here, and 0\.9\.0-a differs/)]);
    expect([(await library()).length, partFiles()]).toEqual([before + 1, []]);
  });
  it('takes a signature of a trusted key only', async () => {
    const { publicKey, privateKey } = generateKeyPairSync('ed25519');
    const raw = publicKey.export({ format: 'der', type: 'spki' }).subarray(-32).toString('base64');
    const bytes = image('2.2.0');
    const bare = manifestOf(bytes, { version: '2.2.0' });
    const signed = { ...bare, signature: sign(null, Buffer.from(signedText(bare)), privateKey).toString('base64') };
    expect((await upload(bytes, signed)).body.detail).toMatch(/none of the keys this site trusts/);
    expect((await house.maker.post('/api/v1/trusted-keys', { name: 'workshop', publicKey: raw })).body).toEqual([
      expect.objectContaining({ name: 'made-up images' }),
      expect.objectContaining({ name: 'workshop', publicKey: raw }),
    ]);
    // Once more is as good as once; the same key under another name, or another key under this one, is said.
    expect((await house.maker.post('/api/v1/trusted-keys', { name: 'workshop', publicKey: raw })).body).toHaveLength(2);
    const renamed = await house.maker.post('/api/v1/trusted-keys', { name: 'attic', publicKey: raw });
    expect([renamed.status, renamed.body.detail]).toEqual([409, expect.stringMatching(/trusted already, as workshop/)]);
    const other = generateKeyPairSync('ed25519').publicKey.export({ format: 'der', type: 'spki' }).subarray(-32).toString('base64');
    const taken = await house.maker.post('/api/v1/trusted-keys', { name: 'workshop', publicKey: other });
    expect([taken.status, taken.body.detail]).toEqual([409, expect.stringMatching(/Another key is trusted as workshop/)]);
    expect((await upload(bytes, { ...signed, notes: 'changed after signing' })).body.detail).toMatch(/none of the keys/);
    expect((await upload(bytes, signed)).status).toBe(201);
    expect((await library()).find((one) => one.version === '2.2.0')?.signedBy).toBe('workshop');
    expect((await house.maker.call('DELETE', '/api/v1/trusted-keys/workshop')).body).toHaveLength(1);
    expect((await house.keeper.get('/api/v1/trusted-keys')).status).toBe(403);
  });
  it('a signature covers the lamp’s patterns, and an image without them is signed as before', async () => {
    const { publicKey, privateKey } = generateKeyPairSync('ed25519');
    await house.maker.post('/api/v1/trusted-keys', {
      name: 'lamps',
      publicKey: publicKey.export({ format: 'der', type: 'spki' }).subarray(-32).toString('base64'),
    });
    const bytes = image('2.3.0');
    const bare = manifestOf(bytes, { version: '2.3.0', lamp: { joined: [1500, 100, 100, 1300] } });
    const signed = { ...bare, signature: sign(null, Buffer.from(signedText(bare)), privateKey).toString('base64') };
    expect((await upload(bytes, { ...signed, lamp: { joined: [100, 900] } })).body.detail).toMatch(/none of the keys/);
    expect((await upload(bytes, { ...signed, lamp: { dancing: [100, 900] } })).body.detail).toMatch(/manifest\.lamp/);
    expect((await upload(bytes, signed)).status).toBe(201);
    const kept = (await house.maker.get('/api/v1/firmware')).body as { version: string; lamp: object }[];
    expect(kept.find((one) => one.version === '2.3.0')?.lamp).toEqual({ joined: [1500, 100, 100, 1300] });
    expect(kept.find((one) => one.version === '2.2.0')?.lamp).toEqual({});
    // What a node is offered is what was signed, to the byte.
    const row = await house.database('firmware').where({ version: '2.3.0' }).first();
    expect(manifestOfRow(row)).toEqual(signed);
    await house.maker.call('DELETE', '/api/v1/trusted-keys/lamps');
  });
  it('lists the newest first and takes the newest released one for a board by itself', async () => {
    for (const version of ['2.10.0', '3.0.0-rc.1']) {
      const bytes = image(version);
      await upload(bytes, manifestOf(bytes, { version }));
    }
    expect((await library()).filter((one) => one.id.startsWith('ownnode')).map((one) => one.version)).toEqual([
      '3.0.0-rc.1',
      '2.10.0',
      '2.3.0',
      '2.2.0',
      '2.0.0',
      '0.9.0+a',
    ]);
    await house.node('lib-1');
    const begun = await house.maker.post('/api/v1/provision/runs', { node: 'lib-1' });
    expect(begun.body.firmware).toMatchObject({ version: '2.10.0', board: 'wifi-dual-38' });
    expect(begun.body.run).toMatchObject({
      imageSha256: begun.body.firmware.sha256,
      configurationSha256: expect.stringMatching(/^[0-9a-f]{64}$/),
    });
    const wrong = await house.maker.post('/api/v1/provision/runs', { node: 'lib-1', firmware: 'dewnode-1.0.0-wifi-dual-bare' });
    expect([wrong.status, wrong.body.detail]).toEqual([
      422,
      expect.stringMatching(/made for wifi-dual-bare, and this node has a wifi-dual-38/),
    ]);
  });
});

describe('a node’s configuration', () => {
  it('is shown without secrets against what was last written, and handed out whole only while its key is sealed', async () => {
    const { key } = await house.node('conf-1');
    const first = (await house.keeper.get('/api/v1/nodes/conf-1/configuration')).body;
    expect([first.held, first.downloadable]).toEqual([false, false]);
    expect(JSON.stringify(first)).not.toContain(key);
    expect(JSON.stringify(first)).not.toContain('mill wheel');
    const get = (form: string) =>
      fetch(`${house.server.url}/api/v1/nodes/conf-1/configuration/${form}`, { headers: { cookie: house.maker.cookie() } });
    const json = await get('json');
    expect([json.headers.get('cache-control'), JSON.parse(await json.text()).key]).toEqual(['no-store', key]);
    const header = await (await get('header')).text();
    expect(header).toContain(`#define NODE_KEY "${key}"`);
    // What stands there is where this very server takes readings: without a key it asks for one.
    const [url = '', path = ''] = ['URL', 'PATH'].map((name) => new RegExp(`NODE_HTTP_${name} "([^"]+)"`).exec(header)?.[1]);
    expect(new URL(url).port).toBe(new URL(house.server.url).port);
    expect((await fetch(house.server.url + path, { method: 'POST' })).status).toBe(401);
    expect(await (await get('csv')).text()).toContain(`"key","${key}"\r\n`);
    expect((await get('xml')).status).toBe(404);
    expect((await house.keeper.get('/api/v1/nodes/conf-1/configuration/json')).status).toBe(403);
    await logged(house.maker, 'conf-1', /downloaded by millwright/);

    const { run } = (await house.maker.post('/api/v1/provision/runs', { node: 'conf-1' })).body;
    await house.maker.post(`/api/v1/provision/runs/${run.id}/steps`, {
      step: 'configure',
      state: 'done',
      ms: 5,
      detail: 'stored',
      code: null,
    });
    expect((await house.maker.get('/api/v1/nodes/conf-1/configuration')).body).toMatchObject({
      held: true,
      differences: [],
      downloadable: true,
    });
    await house.maker.replace('/api/v1/networks', { networks: [{ name: 'new-name', passphrase: 'under the mill wheel' }] });
    const after = (await house.maker.get('/api/v1/nodes/conf-1/configuration')).body;
    expect(after.differences).toEqual(expect.arrayContaining([expect.objectContaining({ key: 'networks.0.name', after: 'new-name' })]));
  });
});
