import { createHash } from 'node:crypto';
import { eventually, FakeNode, openHouse, type House } from './house';

let house: House;
beforeAll(async () => (house = await openHouse()), 60_000);
afterAll(() => house?.close());

const begin = (node: string) => house.maker.post('/api/v1/provision/runs', { node, firmware: 'dewnode-1.0.0' });
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

describe('build sheets that check themselves', () => {
  const draft = {
    board: 'wifi-dual-bare',
    supply: 'aa-lithium-2',
    reportSeconds: 900,
    eventsPerDay: 4,
    outdoors: false,
    cableMetres: 0.5,
    fixed: {},
    dividers: {},
    parts: [
      { ref: 'air', part: 'climate-i2c' },
      { ref: 'door', part: 'contact-pulse' },
    ],
  };
  it('a drawn sheet becomes points, wires and cautions; a changed one the next version, and its nodes are behind', async () => {
    const first = (await house.maker.post('/api/v1/build-sheets', { name: 'Loft post', draft })).body;
    expect(first).toMatchObject({ slug: 'loft-post', version: 1, nodes: 0, behind: 0, body: { checks: { fails: 0 } } });
    expect(first.body.points.map((p: { name: string }) => p.name)).toEqual(['temperature', 'humidity', 'dew-point', 'open']);
    expect(first.body.wiring.length).toBeGreaterThan(6);
    await house.maker.post('/api/v1/nodes', { id: 'sheet-1', room: 'Grain loft', buildSheet: 'loft-post' });
    const second = (await house.maker.post('/api/v1/build-sheets', { name: 'Loft post', draft: { ...draft, reportSeconds: 1800 } })).body;
    expect(second).toMatchObject({ version: 2, nodes: 1, behind: 1 });
    expect(
      (await house.maker.get('/api/v1/build-sheets')).body.find((s: { slug: string }) => s.slug === 'climate-post').body.draft.parts,
    ).toHaveLength(2);
  });
  it('nodes are not made from a sheet that fails its checks', async () => {
    const failing = { ...draft, board: 'wifi-dual-38', supply: 'usb', parts: [{ ref: 'echo', part: 'level-ultrasonic' }] };
    expect((await house.maker.post('/api/v1/build-sheets', { name: 'Race level', draft: failing })).body.body.checks.fails).toBe(1);
    const refused = await house.maker.post('/api/v1/nodes', { id: 'sheet-2', room: 'Wheel pit', buildSheet: 'race-level' });
    expect([refused.status, refused.body.detail]).toEqual([422, expect.stringMatching(/fails 1 of its checks: mend them under Plan/)]);
    expect((await house.keeper.post('/api/v1/build-sheets', { name: 'X', draft })).status).toBe(403);
    expect((await house.maker.post('/api/v1/build-sheets', { name: '<!>', draft })).status).toBe(422);
    expect((await house.maker.post('/api/v1/build-sheets', { name: 'No board', draft: { ...draft, board: 'none' } })).body.detail).toMatch(
      /catalogue has no none/,
    );
  });
  it('a profile of one’s own is taken, used and removed; a wrong one is refused with path and expectation', async () => {
    const { parts } = (await house.maker.get('/api/v1/catalogue')).body;
    const probe = { ...parts.find((p: { id: string }) => p.id === 'soil-analog'), id: 'my-probe', name: 'My own soil probe' };
    expect((await house.maker.post('/api/v1/catalogue', probe)).body).toEqual({ id: 'my-probe' });
    expect((await house.maker.get('/api/v1/catalogue')).body.own).toEqual(['my-probe']);
    expect(
      (await house.maker.post('/api/v1/build-sheets', { name: 'Mine', draft: { ...draft, parts: [{ ref: 'a', part: 'my-probe' }] } }))
        .status,
    ).toBe(200);
    const wrong = await house.maker.post('/api/v1/catalogue', { ...probe, supplyVolts: [3.3] });
    expect([wrong.status, wrong.body.errors[0].path]).toEqual([422, expect.stringContaining('supplyVolts')]);
    expect((await house.maker.call('DELETE', '/api/v1/catalogue/my-probe')).status).toBe(200);
    expect((await house.maker.call('DELETE', '/api/v1/catalogue/my-probe')).status).toBe(404);
  });
});
