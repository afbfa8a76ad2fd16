import { createHash } from 'node:crypto';
import { eventually, FakeNode, openHouse, type House } from './house';

let house: House;
beforeAll(async () => (house = await openHouse()), 60_000);
afterAll(() => house?.close());

const begin = (node: string) => house.maker.post('/api/v1/provision/runs', { node, firmware: 'dewnode-1.0.0-wifi-dual-38' });
const step = (run: number, body: object) =>
  house.maker.post(`/api/v1/provision/runs/${run}/steps`, { state: 'done', ms: 10, detail: '', code: null, ...body });
const state = async (id: string): Promise<string> =>
  (await house.maker.get('/api/v1/nodes')).body.find((n: { id: string }) => n.id === id).state;

describe('writing a node', () => {
  it('is on the ledger step by step, and its first good readings prove it', async () => {
    const { key } = await house.node('run-1');
    const { body } = await begin('run-1');
    expect(body.configuration).toMatchObject({
      node: 'run-1',
      key,
      networks: [{ name: 'wrenfold-nodes', passphrase: 'under the mill wheel' }],
      broker: { port: house.server.mqttPort },
    });
    expect(body.configuration.points.map((p: { name: string }) => p.name)).not.toContain('dew-point');
    for (const name of ['check', 'write', 'digest', 'configure', 'join'])
      expect((await step(body.run.id, { step: name, ...(name === 'check' && { hardwareId: 'dw-00000001' }) })).status).toBe(200);
    expect(await state('run-1')).toBe('writing');
    const node = await FakeNode.connect(house.server.mqttPort, 'run-1', key);
    await eventually(async () => (await state('run-1')) === 'written', 'first contact');
    await node.up([{ n: 'humidity', v: 320 }]);
    expect(await state('run-1')).toBe('written');
    await node.say(60);
    await eventually(async () => (await state('run-1')) === 'proved', 'proved');
    const [run] = (await house.maker.get('/api/v1/provision/runs')).body;
    expect(run).toMatchObject({ node: 'run-1', by: 'millwright', result: 'proved', hardwareId: 'dw-00000001' });
    expect(run.steps.map((s: { step: string }) => s.step)).toEqual([
      'check',
      'write',
      'digest',
      'configure',
      'join',
      'contact',
      'readings',
    ]);
    await node.end();
  });
  it('stops at a failed step with its cause; a board known under another name is refused', async () => {
    await house.node('run-2');
    const { run } = (await begin('run-2')).body;
    const known = await step(run.id, { step: 'check', hardwareId: 'dw-00000001' });
    expect([known.status, known.body.detail]).toEqual([409, expect.stringMatching(/is run-1/)]);
    const failed = await step(run.id, { step: 'digest', state: 'failed', code: 'digest-mismatch', detail: 'read back differs' });
    expect(failed.body).toMatchObject({ result: 'stopped' });
    expect(await state('run-2')).toBe('stopped');
    expect((await step(run.id, { step: 'configure' })).status).toBe(409);
  });
  it('a node written again gets a new key; the old one works until the new one has been used', async () => {
    const { configuration } = (await begin('run-1')).body;
    const old = (await house.database('node').where({ name: 'run-1' }).first('old_key_digest')).old_key_digest;
    expect(old).not.toBeNull();
    expect(configuration.key).toHaveLength(22);
    const renewed = await FakeNode.connect(house.server.mqttPort, 'run-1', configuration.key);
    expect((await house.database('node').where({ name: 'run-1' }).first('old_key_digest')).old_key_digest).toBeNull();
    await renewed.end();
  });
  it('hands out the image whose digest it names, to makers', async () => {
    const [image] = (await house.maker.get('/api/v1/firmware')).body;
    const answer = await fetch(`${house.server.url}/api/v1/firmware/${image.id}/image`, { headers: { cookie: house.maker.cookie() } });
    const bytes = Buffer.from(await answer.arrayBuffer());
    expect([bytes.length, createHash('sha256').update(bytes).digest('hex')]).toEqual([image.bytes, image.sha256]);
    expect((await begin('nobody')).status).toBe(404);
  });
});

describe('before writing', () => {
  it('says of every node what fails and what asks, and of a real one that it cannot reach this computer’s own address', async () => {
    for (const id of ['look-1', 'look-2']) await house.node(id);
    const look = (nodes: string[]) => house.maker.post('/api/v1/provision/preflight', { nodes });
    const answer = await look(['look-1', 'look-2']);
    expect(answer.body.map((one: { node: string }) => one.node)).toEqual(['look-1', 'look-2']);
    const titles = (verdict: string): string[] =>
      answer.body[0].checks
        .filter((check: { verdict: string }) => check.verdict === verdict)
        .map((check: { title: string }) => check.title);
    expect([titles('fail'), titles('warn'), titles('pass')]).toEqual([['Broker'], ['Sheet'], ['Image', 'Store']]);
    expect(JSON.stringify(answer.body)).not.toMatch(/mill wheel/);
    await house.maker.call('PUT', '/api/v1/addresses', {
      addressing: {
        how: 'static',
        subnets: [
          { id: 'site', network: '192.168.7.0', prefix: 24, router: '192.168.7.1', poolFirst: '192.168.7.100', poolLast: '192.168.7.199' },
        ],
      },
      addresses: {},
    });
    await house.database('node').where({ name: 'look-1' }).update({ address: '10.99.0.5' });
    const [astray] = (await look(['look-1'])).body;
    expect(astray.checks.find((check: { title: string }) => check.title === 'Address').detail).toMatch(/none of the site’s subnets/);
    expect([
      (await look(['nobody'])).status,
      (await house.keeper.post('/api/v1/provision/preflight', { nodes: ['look-1'] })).status,
    ]).toEqual([404, 403]);
  });
});
