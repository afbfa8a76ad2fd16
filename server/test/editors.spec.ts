import { openHouse, type Answer, type Body, type House, SUBNET } from './house';

let house: House;
beforeAll(async () => (house = await openHouse()));
afterAll(() => house.close());

const SHEET = {
  board: 'wifi-dual-38',
  supply: 'usb',
  reportSeconds: 60,
  eventsPerDay: 0,
  outdoors: false,
  cableMetres: 0.5,
  fixed: {},
  dividers: {},
  parts: [{ ref: 'air', part: 'climate-i2c' }],
};
const conflict = ({ status, body }: Answer): Body => {
  expect([status, body.title]).toEqual([409, 'Changed meanwhile']);
  return body.current;
};

describe('two who edit the same: the second is shown what the first has saved, and nothing is overwritten unseen', () => {
  it('networks', async () => {
    const { version } = (await house.maker.get('/api/v1/networks')).body;
    const put = (from: number, name: string) =>
      house.maker.call('PUT', '/api/v1/networks', { from, networks: [{ name, passphrase: 'under the mill wheel' }] });
    expect((await put(version, 'first')).body.version).toBe(version + 1);
    expect(conflict(await put(version, 'second'))).toMatchObject({ version: version + 1, networks: [{ name: 'first' }] });
    // Seen, it may be overwritten.
    expect((await put(version + 1, 'second')).body.networks).toEqual([{ name: 'second', passphraseSet: true, open: false, hidden: false }]);
  });

  it('addresses', async () => {
    await house.node('edit-1');
    const { version } = (await house.maker.get('/api/v1/addresses')).body;
    const put = (address: string) =>
      house.maker.call('PUT', '/api/v1/addresses', {
        from: version,
        addressing: { how: 'static', subnets: [SUBNET] },
        addresses: { 'edit-1': address },
      });
    expect((await put('192.168.7.20')).status).toBe(200);
    const current = conflict(await put('192.168.7.21'));
    expect(current.nodes.find((one: { node: string }) => one.node === 'edit-1').address).toBe('192.168.7.20');
  });

  it('a profile of one’s own', async () => {
    const { parts } = (await house.maker.get('/api/v1/catalogue')).body;
    const probe = { ...parts.find((one: { id: string }) => one.id === 'soil-analog'), id: 'edit-probe' };
    const put = (from: number, name: string) => house.maker.post(`/api/v1/catalogue?from=${from}`, { ...probe, name });
    expect((await put(0, 'First probe')).body.version).toBe(1);
    expect(conflict(await put(0, 'Second probe'))).toMatchObject({ name: 'First probe' });
    expect((await put(1, 'Second probe')).body.version).toBe(2);
    expect((await house.maker.get('/api/v1/catalogue')).body.versions['edit-probe']).toBe(2);
  });

  it('a sheet; and a name that reads like another’s is not its next version', async () => {
    const save = (name: string, base: object | null, reportSeconds = 60) =>
      house.maker.post('/api/v1/build-sheets', { name, draft: { ...SHEET, reportSeconds }, base });
    expect((await save('Mill post', null)).body.version).toBe(1);
    const like = await save('Mill post!', null);
    expect([like.status, like.body.detail]).toEqual([409, expect.stringMatching(/a sheet named Mill post already/)]);
    expect((await save('Mill post', { slug: 'mill-post', version: 1 }, 120)).body.version).toBe(2);
    expect(conflict(await save('Mill post', { slug: 'mill-post', version: 1 }, 300))).toMatchObject({
      version: 2,
      body: { reportSeconds: 120 },
    });
    // Under another name it is another sheet.
    expect((await save('Race post', { slug: 'mill-post', version: 1 })).body).toMatchObject({ slug: 'race-post', version: 1 });
  });

  it('a threshold: six changes at once are one version and five refusals, and never a fault of ours', async () => {
    const { points } = await house.node('edit-2');
    const rule = { side: 'low', setpoint: 40, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'advisory', output: null };
    const { id } = (await house.maker.post('/api/v1/thresholds', { ...rule, point: points['humidity'] })).body;
    const answers = await Promise.all(
      [41, 42, 43, 44, 45, 46].map((setpoint) => house.maker.call('PUT', `/api/v1/thresholds/${id}`, { ...rule, setpoint, from: 1 })),
    );
    expect(answers.map(({ status }) => status).sort()).toEqual([200, 409, 409, 409, 409, 409]);
    const kept = answers.find(({ status }) => status === 200)!.body;
    for (const refused of answers.filter(({ status }) => status === 409))
      expect(conflict(refused)).toMatchObject({ version: 2, setpoint: kept.setpoint });
    expect(await house.database('threshold_version').where({ threshold_id: id })).toHaveLength(2);
  });

  it('intervals of a node changed six times at once are six revisions', async () => {
    await house.node('edit-3');
    const before = (await house.database('node').where({ name: 'edit-3' }).first('revision')).revision;
    await Promise.all(
      [31, 32, 33, 34, 35, 36].map((reportSeconds) =>
        house.maker.call('PUT', '/api/v1/nodes/interval', { nodes: ['edit-3'], reportSeconds }),
      ),
    );
    expect((await house.database('node').where({ name: 'edit-3' }).first('revision')).revision).toBe(before + 6);
  });
});
