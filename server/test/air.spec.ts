import { canonicalJson } from '@dewpost/core/firmware';
import { topicOf, type SetMessage, type UpdateReport } from '@dewpost/core/wire';
import { execFile } from 'node:child_process';
import { createHash, createPublicKey, verify } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { eventually, FakeNode, logged, openHouse, pause, type Body, type House } from './house';

const run = promisify(execFile);
const IMAGE = 'dewnode-1.1.0-rc.1-wifi-dual-38';
const OLD = 'a'.repeat(64);
const RULE = { canaries: 1, shares: [1], settleSeconds: 2, patienceSeconds: 15, failShare: 0, window: null, rollBack: true };

let house: House;
let oldImage = OLD;
beforeAll(async () => {
  // Nodes fetch from it for real.
  house = await openHouse({ DEWPOST_ADDRESS: '127.0.0.1' });
  oldImage = (await house.maker.get('/api/v1/firmware')).body.find((one: Body) => one.id === 'dewnode-1.0.0-wifi-dual-38').sha256;
});
afterAll(() => house?.close());

/** A node of the outside that knows of images: MQTT by its own client, the fetching by curl. */
class AirNode {
  sets: SetMessage[] = [];
  runs = oldImage;
  private timer: NodeJS.Timeout | null = null;
  private constructor(
    readonly link: FakeNode,
    readonly key: string,
  ) {}
  static async start(id: string, key: string, onSet: (node: AirNode, set: SetMessage) => Promise<void> | void): Promise<AirNode> {
    const node = new AirNode(await FakeNode.connect(house.server.mqttPort, id, key, { hello: false }), key);
    node.link.client.on('message', (topic, payload) => {
      if (!topic.endsWith('/set')) return;
      const set = JSON.parse(payload.toString()) as SetMessage;
      node.sets.push(set);
      void onSet(node, set);
    });
    await node.hello();
    await node.link.client.subscribeAsync(topicOf(id, 'set'), { qos: 1 });
    await node.measure();
    // A reading under way when the node is ended is not answered any more.
    node.timer = setInterval(() => void node.measure().catch(() => undefined), 500);
    return node;
  }
  hello = async (): Promise<void> =>
    void (await this.link.client.publishAsync(
      topicOf(this.link.name, 'hello'),
      JSON.stringify({ firmware: 'dewnode', firmwareSha256: this.runs, resetReason: 'power-up', points: ['temperature'] }),
      { qos: 1 },
    ));
  measure = (): Promise<void> =>
    this.link.client.connected
      ? this.link.up([
          { n: 'temperature', t: Date.now() / 1000, v: 20 + Math.random() },
          { n: 'humidity', t: Date.now() / 1000, v: 60 + Math.random() },
          { n: 'humidifier', t: Date.now() / 1000, v: 0 },
        ])
      : Promise.resolve();
  report = (update: UpdateReport): void =>
    void this.link.client.publish(topicOf(this.link.name, 'have'), JSON.stringify({ revision: 1, update }), { qos: 1 });
  async end(): Promise<void> {
    if (this.timer) clearInterval(this.timer);
    await this.link.end();
  }
}
const proved = async (id: string, onSet: (node: AirNode, set: SetMessage) => Promise<void> | void = () => undefined): Promise<AirNode> => {
  const { key } = await house.node(id);
  const node = await AirNode.start(id, key, onSet);
  await eventually(async () => (await nodeOf(id)).state === 'proved', `${id} proved`);
  return node;
};
const nodeOf = async (id: string): Promise<Body> => (await house.maker.get('/api/v1/nodes')).body.find((one: Body) => one.id === id);
const rollout = (nodes: string[], change: object = {}) =>
  house.maker.post('/api/v1/provision/rollouts', { firmware: IMAGE, nodes, rule: { ...RULE, ...change } });
const newest = async (): Promise<Body> => (await house.maker.get('/api/v1/provision/rollouts')).body[0];

/** Obeys as firmware should: fetches by ranges with curl, proves digest and signature, starts it. */
const obey = async (node: AirNode, set: SetMessage): Promise<void> => {
  if (!set.image || set.image.manifest.sha256 === node.runs) return;
  const { manifest, from } = set.image;
  const folder = mkdtempSync(join(tmpdir(), 'dewpost-air-'));
  const file = join(folder, 'image');
  const half = manifest.bytes >> 1;
  node.report({ sha256: manifest.sha256, state: 'safe', secondRadio: 'off' });
  // Cut off in the middle, then resumed: curl's own -C asks for the rest.
  await run('curl', ['-sf', '-H', `Authorization: Bearer ${node.key}`, '-r', `0-${half - 1}`, '-o', file, from]);
  node.report({ sha256: manifest.sha256, state: 'fetching', bytes: half });
  await run('curl', ['-sf', '-H', `Authorization: Bearer ${node.key}`, '-C', '-', '-o', file, from]);
  const found = createHash('sha256').update(readFileSync(file)).digest('hex');
  rmSync(folder, { recursive: true });
  if (found !== manifest.sha256) return node.report({ sha256: manifest.sha256, state: 'refused', why: `digest ${found}` });
  node.report({ sha256: manifest.sha256, state: 'starting' });
  node.runs = found;
  await node.hello();
};

describe('an image over the air', () => {
  it('is fetched by ranges with curl, its digest and signature hold, and the ledger says so', async () => {
    const nodes = await Promise.all(['air-1', 'air-2'].map((id) => proved(id, obey)));
    expect((await rollout(['air-1', 'air-2'])).status).toBe(200);
    const done = await eventually(async () => ((await newest()).state === 'done' ? newest() : null), 'the rollout is through');
    expect(done.nodes.map((node: Body) => [node.node, node.step, node.state])).toEqual([
      ['air-1', 0, 'healthy'],
      ['air-2', 1, 'healthy'],
    ]);
    const offer = nodes[0]!.sets.find((set) => set.image)!.image!.manifest;
    const { signature, ...rest } = offer;
    const [trusted] = (await house.maker.get('/api/v1/trusted-keys')).body;
    const key = createPublicKey({
      key: { kty: 'OKP', crv: 'Ed25519', x: Buffer.from(trusted.publicKey, 'base64').toString('base64url') },
      format: 'jwk',
    });
    expect(verify(null, Buffer.from(canonicalJson({ ...rest, signature: undefined })), key, Buffer.from(signature!, 'base64'))).toBe(true);
    const runs = (await house.maker.get('/api/v1/provision/runs')).body.filter((one: Body) => one.way === 'air');
    expect(runs.map((one: Body) => [one.node, one.result, one.steps.map((step: Body) => step.step).join(' ')])).toEqual([
      ['air-2', 'proved', 'tell fetch start watch'],
      ['air-1', 'proved', 'tell fetch start watch'],
    ]);
    expect(runs[0].steps.find((step: Body) => step.step === 'fetch').detail).toBe(
      'outputs fail-safe, second radio off; image whole, digest and signature hold',
    );
    expect((await nodeOf('air-1')).offered).toBeNull();
    // No node may fetch what it was not offered, and nobody without a key.
    const from = `${house.server.url}/node/v1/image`;
    expect((await fetch(from, { headers: { authorization: `Bearer ${nodes[0]!.key}` } })).status).toBe(404);
    expect((await fetch(from)).status).toBe(401);
    await Promise.all(nodes.map((node) => node.end()));
  });

  it('halts when one refuses it, and takes back what it has changed', async () => {
    const good = await proved('halt-1', obey);
    const bad = await proved('halt-2', (node, set) => {
      if (set.image) node.report({ sha256: set.image.manifest.sha256, state: 'refused', why: 'no room' });
    });
    await rollout(['halt-1', 'halt-2']);
    const over = await eventually(async () => ((await newest()).state === 'rolled-back' ? newest() : null), 'rolled back');
    expect(over.why).toMatch(/1 failed, 0 may: it refused the image: no room/);
    expect(over.nodes.map((node: Body) => node.state)).toEqual(['back', 'failed']);
    expect(good.runs).toBe(oldImage);
    await Promise.all([good.end(), bad.end()]);
  });

  it('is not offered to nodes that switch outputs where it is not signed, nor to a wrong board, nor twice at once', async () => {
    const node = await proved('pick-1');
    await house.database('firmware').where({ id: IMAGE }).update({ signed_by: null });
    expect((await rollout(['pick-1'])).body.detail).toMatch(/switches outputs, and the image is not signed/);
    await house.database('firmware').where({ id: IMAGE }).update({ signed_by: 'made-up images' });
    expect(
      (await house.maker.post('/api/v1/provision/rollouts', { firmware: 'dewnode-1.1.0-wifi-dual-bare', nodes: ['pick-1'], rule: RULE }))
        .status,
    ).toBe(422);
    const { id: source } = (await house.maker.post('/api/v1/sources', { name: 'No board', room: 'Yard', points: [] })).body;
    expect((await rollout([source])).body.detail).toMatch(/is a source: it has no board/);
    expect((await house.keeper.post('/api/v1/provision/rollouts', { firmware: IMAGE, nodes: ['pick-1'], rule: RULE })).status).toBe(403);
    const { body } = await rollout(['pick-1']);
    expect((await rollout(['pick-1'])).status).toBe(409);
    const put = (wish: string) => house.maker.call('PUT', `/api/v1/provision/rollouts/${body.id}`, { wish });
    expect((await put('pause')).body.state).toBe('paused');
    expect((await put('roll-back')).status).toBe(200);
    await eventually(async () => (await newest()).state === 'rolled-back', 'rolled back');
    expect((await put('pause')).status).toBe(409);
    await node.end();
  });
});

describe('keys and intervals over the air', () => {
  it('a key is rotated without losing a reading: the old one works until the new one has been used', async () => {
    const node = await proved('rotate-1');
    expect((await house.maker.post('/api/v1/nodes/keys/rotate', { nodes: ['rotate-1'] })).body).toEqual({
      rotating: ['rotate-1'],
      not: [],
    });
    const { key: next } = await eventually(() => node.sets.find((set) => set.key), 'the new key');
    const post = (key: string): Promise<number> =>
      fetch(`${house.server.url}/node/v1/up`, {
        method: 'POST',
        headers: { authorization: `Bearer ${key}`, 'content-type': 'application/json' },
        body: '{"temperature": 21}',
      }).then((answer) => answer.status);
    expect(await post(node.key)).toBe(200);
    expect(await post(next!)).toBe(200);
    expect(await post(node.key)).toBe(401);
    expect((await nodeOf('rotate-1')).keyRotates).toBe(false);
    // What is retained for it holds no key any more.
    await eventually(() => node.sets.at(-1)!.key === undefined, 'the key is gone from what is retained');
    expect(JSON.stringify(await logged(house.maker, 'rotate-1', /rotated by millwright/))).not.toContain(next);
    await node.end();
  });

  it('a revoked key is worthless at once and its session is ended', async () => {
    const node = await proved('revoke-1');
    expect((await house.maker.post('/api/v1/nodes/revoke-1/keys/revoke', {})).status).toBe(200);
    await eventually(() => node.link.closed, 'cut off');
    await expect(FakeNode.connect(house.server.mqttPort, 'revoke-1', node.key)).rejects.toThrow(/bad username or password/i);
    expect((await house.keeper.post('/api/v1/nodes/revoke-1/keys/revoke', {})).status).toBe(403);
    await node.end();
  });

  it('an interval is the next revision, and who is behind is known', async () => {
    const node = await proved('every-1');
    await house.maker.call('PUT', '/api/v1/nodes/interval', { nodes: ['every-1'], reportSeconds: 2 });
    const set = await eventually(() => node.sets.find((one) => one.reportSeconds === 2), 'told');
    expect([set.revision, (await nodeOf('every-1')).haveRevision]).toEqual([2, null]);
    node.link.client.publish(topicOf('every-1', 'have'), JSON.stringify({ revision: 2 }), { qos: 1 });
    await eventually(async () => (await nodeOf('every-1')).haveRevision === 2, 'confirmed');
    expect((await nodeOf('every-1')).haveAt).toBeGreaterThan(Date.now() - 5000);
    await pause(10);
    await node.end();
  });
});
