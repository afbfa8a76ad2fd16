import { createHash } from 'node:crypto';
import { eventually, FakeNode, openHouse, type Body, type House } from './house';

let house: House;
beforeAll(async () => (house = await openHouse()));
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
    // Three of each point are judged, not only received.
    await node.say(60);
    await node.say(60.2);
    expect(await state('run-1')).toBe('written');
    // How far they are is told while they come: the temperature has come twice, the humidity three times.
    const [waiting] = (await house.maker.get('/api/v1/provision/runs')).body;
    expect(waiting.first).toEqual({ have: 2, of: 3, nextAt: expect.any(Number) });
    await node.say(60.1);
    await eventually(async () => (await state('run-1')) === 'proved', 'proved');
    const [run] = (await house.maker.get('/api/v1/provision/runs')).body;
    expect(run).toMatchObject({ node: 'run-1', first: null, by: 'millwright', result: 'proved', hardwareId: 'dw-00000001' });
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
  it('why a node woke is no first reading: power once and its timer then is no sensor that jumps', async () => {
    const draft = {
      ...{
        board: 'wifi-dual-bare',
        supply: 'aa-lithium-2',
        tellsWake: true,
        reportSeconds: 20,
        eventsPerDay: 6,
        outdoors: false,
        cableMetres: 1,
      },
      ...{ parts: [{ ref: 'door', part: 'reed-closed' }], fixed: {}, dividers: {} },
    };
    expect((await house.maker.post('/api/v1/build-sheets', { name: 'Waking post', draft, base: null })).status).toBe(200);
    const made = (await house.maker.post('/api/v1/nodes', { id: 'waking-1', room: 'Cellar', buildSheet: 'waking-post' })).body;
    const { name } = made.points.find((point: Body) => point.name !== 'woke-by');
    await house.maker.post('/api/v1/provision/elsewhere', { node: 'waking-1' });
    const node = await FakeNode.connect(house.server.mqttPort, 'waking-1', made.key);
    for (const vs of ['power', 'timer', 'timer'])
      await node.up([
        { n: name, v: 0 },
        { n: 'woke-by', vs },
      ]);
    await eventually(async () => (await state('waking-1')) === 'proved', 'proved');
    const { needs } = (await house.maker.get('/api/v1/nodes/waking-1/fit')).body;
    expect(needs.map(({ point }: Body) => point).filter(Boolean)).toEqual([name]);
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
  it('a board that another tool chain writes waits at Join, comes by itself, and is judged like any other', async () => {
    const { key } = await house.node('other-1');
    const run = (await house.maker.post('/api/v1/provision/elsewhere', { node: 'other-1' })).body;
    expect([run.way, run.firmware, run.steps.map((s: { step: string }) => s.step)]).toEqual([
      'elsewhere',
      'written elsewhere',
      ['configure'],
    ]);
    const exported = await house.maker.get('/api/v1/nodes/other-1/configuration/json');
    expect([exported.status, exported.body.key]).toEqual([200, key]);
    const node = await FakeNode.connect(house.server.mqttPort, 'other-1', key);
    await eventually(async () => (await state('other-1')) === 'written', 'joined');
    for (const humidity of [0, 0, 0]) await node.say(humidity);
    await eventually(async () => (await state('other-1')) === 'stopped', 'a sensor that says nothing but nought');
    const [stopped] = (await house.maker.get('/api/v1/provision/runs')).body;
    expect(stopped.steps.map((s: { step: string; state: string; code: string | null }) => [s.step, s.state, s.code])).toEqual([
      ['configure', 'done', null],
      ['join', 'done', null],
      ['contact', 'done', null],
      ['readings', 'failed', 'stuck-at-zero'],
    ]);
    await house.maker.post('/api/v1/provision/elsewhere', { node: 'other-1' });
    for (const humidity of [55, 55.2, 55.1]) await node.say(humidity);
    await eventually(async () => (await state('other-1')) === 'proved', 'proved');
    expect((await house.keeper.post('/api/v1/provision/elsewhere', { node: 'other-1' })).status).toBe(403);
    await node.end();
  });
  it('stops a node that joined and says nothing, and one whose sensor is not there, each with its cause; neither waits for ever', async () => {
    const passed = async (run: number, seconds: number): Promise<void> =>
      void (await house
        .database('provision_step')
        .where({ run_id: run })
        .update({ at: new Date(Date.now() - seconds * 1000) }));
    const ended = async (id: number): Promise<Body> =>
      (await house.maker.get('/api/v1/provision/runs')).body.find((one: Body) => one.id === id && one.result === 'stopped');
    await house.node('mute-1');
    const mute = (await begin('mute-1')).body.run.id;
    await step(mute, { step: 'join' });
    const { key } = await house.node('half-1');
    const begun = (await begin('half-1')).body;
    const node = await FakeNode.connect(house.server.mqttPort, 'half-1', begun.configuration.key ?? key);
    await eventually(async () => (await state('half-1')) === 'written', 'first contact');
    for (const v of [20, 20.1, 20.2]) await node.up([{ n: 'temperature', v }]);
    // One that made contact before a restart of the server: what it sent then is forgotten, so that its time begins anew.
    await house.node('before-1');
    const before = (await begin('before-1')).body.run.id;
    await step(before, { step: 'join' });
    await house.database('provision_step').insert({ run_id: before, step: 'contact', state: 'done', ms: 1, detail: '', code: null });
    await passed(before, 500);
    await passed(mute, 130);
    await passed(begun.run.id, 500);
    const [silent, half] = [
      await eventually(() => ended(mute), 'the silent one is stopped'),
      await eventually(() => ended(begun.run.id), 'the one without its sensor is stopped'),
    ];
    expect(silent.steps.at(-1)).toMatchObject({ step: 'contact', state: 'failed', code: 'no-contact' });
    expect(half.steps.at(-1)).toMatchObject({
      step: 'readings',
      code: 'no-readings',
      detail: expect.stringMatching(/^humidity: 0 of 3 after \d+ s/),
    });
    expect([await state('mute-1'), await state('half-1'), await state('before-1')]).toEqual(['stopped', 'stopped', 'writing']);
    await node.end();
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

describe('a commissioning report', () => {
  it('is of the run that wrote the node and what came over the air since, with what was proved in place', async () => {
    const { body } = await house.keeper.get('/api/v1/nodes/run-1/report');
    expect([body.node.id, body.sheet, body.version]).toEqual(['run-1', 'Climate post', 1]);
    expect(body.runs.map((run: Body) => [run.way, run.result])).toEqual([['serial', expect.any(String)]]);
    expect(body.fit.needs.map((need: Body) => need.id)).toEqual(['signal', 'reading:temperature', 'reading:humidity', 'output:humidifier']);
    expect(body.steps.length).toBeGreaterThan(3);
    await house.maker.call('PUT', '/api/v1/nodes/run-1/assembly', { step: body.steps[0].id, done: true });
    expect((await house.keeper.get('/api/v1/nodes/run-1/report')).body.ticks).toEqual([
      expect.objectContaining({ step: body.steps[0].id, by: 'millwright' }),
    ]);
    expect(JSON.stringify(body)).not.toMatch(/mill wheel|"key"/);
    expect((await house.visitor().get('/api/v1/nodes/run-1/report')).status).toBe(401);
    expect((await house.keeper.get('/api/v1/nodes/nobody/report')).status).toBe(404);
  });
});
