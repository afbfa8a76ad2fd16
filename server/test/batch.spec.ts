import { openHouse, type House, SUBNET } from './house';

let house: House;
beforeAll(async () => (house = await openHouse()));
afterAll(() => house?.close());

describe('before writing', () => {
  it('says of every node what fails and what asks, and of a real one that it cannot reach this computer’s own address', async () => {
    const house = await openHouse({ DEWPOST_ADDRESS: '127.0.0.1' });
    for (const id of ['look-1', 'look-2']) await house.node(id);
    const look = (nodes: string[], firmware = {}) => house.maker.post('/api/v1/provision/preflight', { nodes, firmware });
    const answer = await look(['look-1', 'look-2']);
    expect(answer.body.map((one: { node: string }) => one.node)).toEqual(['look-1', 'look-2']);
    const titles = (verdict: string): string[] =>
      answer.body[0].checks
        .filter((check: { verdict: string }) => check.verdict === verdict)
        .map((check: { title: string }) => check.title);
    expect([titles('fail'), titles('warn'), titles('pass')]).toEqual([['Broker'], ['Sheet'], ['Image', 'Store']]);
    expect(JSON.stringify(answer.body)).not.toMatch(/mill wheel/);
    await house.maker.replace('/api/v1/addresses', {
      addressing: {
        how: 'static',
        subnets: [SUBNET],
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
    // The server itself writes nothing that a look would have refused, whoever asks.
    for (const path of ['runs', 'elsewhere']) {
      const refused = await house.maker.post(`/api/v1/provision/${path}`, { node: 'look-1' });
      expect([refused.status, refused.body.detail]).toEqual([
        422,
        expect.stringMatching(/look-1 cannot be written yet.*Address: .*Broker: /),
      ]);
    }
    const board = 'wifi-dual-38';
    const chosen = (await look(['look-2'], { [board]: `dewnode-1.1.0-rc.1-${board}` })).body[0];
    expect([chosen.board, chosen.image]).toEqual([board, `dewnode-1.1.0-rc.1-${board}`]);
    await house.close();
  });
});

describe('a batch', () => {
  const first = 'page-one-1234';
  const second = 'page-two-5678';
  const start = (nodes: string[], holder: string) => house.maker.post('/api/v1/provision/batches', { nodes, holder });
  const hold = (id: number, holder: string) => house.maker.post(`/api/v1/provision/batches/${id}/hold`, { holder });
  const set = (id: number, holder: string, state: string) => house.maker.call('PUT', `/api/v1/provision/batches/${id}`, { holder, state });
  const letGo = (id: number) =>
    house
      .database('provision_batch')
      .where({ id })
      .update({ held_until: new Date(Date.now() - 1000) });

  it('is one page’s at a time: another page cannot start it, nor take it up before that page is gone', async () => {
    for (const id of ['batch-1', 'batch-2', 'batch-3']) await house.node(id);
    const { status, body: batch } = await start(['batch-1', 'batch-2'], first);
    expect([status, batch.state, batch.nodes.map((one: { result: string }) => one.result)]).toEqual([
      200,
      'running',
      ['waiting', 'waiting'],
    ]);
    const twice = await start(['batch-2', 'batch-3'], second);
    expect([twice.status, twice.body.detail]).toEqual([
      409,
      expect.stringMatching(/batch-2 is being written by millwright at another page/),
    ]);
    expect((await hold(batch.id, second)).status).toBe(409);
    expect((await hold(batch.id, first)).status).toBe(200);
    await letGo(batch.id);
    const taken = (await hold(batch.id, second)).body;
    expect(taken.heldUntil).toBeGreaterThan(Date.now());
    expect((await hold(batch.id, first)).status).toBe(409);
  });
  it('writes the image chosen for its board, and refuses one that is for another', async () => {
    await house.node('batch-9');
    const board = 'wifi-dual-38';
    const [wanted, other] = [`dewnode-1.1.0-rc.1-${board}`, 'dewnode-1.1.0-wifi-dual-bare'];
    const batch = (id: string) =>
      house.maker.post('/api/v1/provision/batches', { nodes: ['batch-9'], holder: first, firmware: { [board]: id } });
    expect((await batch(other)).status).toBe(422);
    const { body } = await batch(wanted);
    expect(body.firmware).toEqual({ [board]: wanted });
    const { run, firmware } = (await house.maker.post('/api/v1/provision/runs', { node: 'batch-9' })).body;
    expect([run.firmware, firmware.version]).toEqual([wanted, '1.1.0-rc.1']);
    // Once the batch is over it is the newest released one again.
    await set(body.id, first, 'cancelled');
    expect((await house.maker.post('/api/v1/provision/runs', { node: 'batch-9' })).body.firmware.version).toBe('1.0.0');
  });
  it('started by two at the same moment is started once', async () => {
    for (const id of ['race-1', 'race-2']) await house.node(id);
    const answers = await Promise.all([start(['race-1', 'race-2'], first), start(['race-2', 'race-1'], second)]);
    expect(answers.map((answer) => answer.status).sort()).toEqual([200, 409]);
  });
  it('survives with how far each node is, can be paused and cancelled, and is done when all are proved', async () => {
    await house.node('batch-4');
    await house.node('batch-5');
    const { body: batch } = await start(['batch-4', 'batch-5'], first);
    const { run } = (await house.maker.post('/api/v1/provision/runs', { node: 'batch-5' })).body;
    await house.maker.post(`/api/v1/provision/runs/${run.id}/steps`, {
      step: 'write',
      state: 'failed',
      ms: 5,
      detail: 'unplugged',
      code: 'portLost',
    });
    const results = async (): Promise<unknown> =>
      (await house.keeper.get('/api/v1/provision/batches')).body
        .find((one: { id: number }) => one.id === batch.id)
        .nodes.map((one: { result: string }) => one.result);
    expect(await results()).toEqual(['waiting', 'stopped']);
    expect((await set(batch.id, first, 'paused')).body.state).toBe('paused');
    expect((await set(batch.id, second, 'running')).status).toBe(409);
    expect((await set(batch.id, first, 'running')).body.state).toBe('running');
    // A later batch of the same page takes the stopped node over; what is left of this one ends with it.
    const again = (await start(['batch-5'], first)).body;
    expect(await results()).toEqual(['waiting']);
    expect((await set(again.id, first, 'cancelled')).body.state).toBe('cancelled');
    expect((await set(again.id, first, 'running')).body.state).toBe('cancelled');
    await house.database('provision_run').insert({
      node_id: (await house.database('node').where({ name: 'batch-4' }).first('id')).id,
      by_whom: 'millwright',
      firmware: 'x',
      result: 'proved',
    });
    expect((await hold(batch.id, first)).body.state).toBe('done');
  });
});
