import { openHouse, type House } from './house';

let house: House;
beforeAll(async () => {
  house = await openHouse();
});
afterAll(() => house.close());

describe('build sheets', () => {
  const draft = (parts: object[], more: object = {}) => ({
    board: 'wifi-dual-38',
    supply: 'usb',
    reportSeconds: 60,
    eventsPerDay: 0,
    outdoors: false,
    cableMetres: 0.5,
    parts,
    fixed: {},
    dividers: {},
    ...more,
  });
  const save = (name: string, body: object, base: object | null = null) =>
    house.maker.post('/api/v1/build-sheets', { name, draft: body, base });
  const make = (id: string, buildSheet: string) => house.maker.post('/api/v1/nodes', { id, room: 'Cellar', buildSheet });

  it('give their nodes the thresholds of their points, in the unit of the sheet, and the engine trips them', async () => {
    const soil = draft([{ ref: 'bed', part: 'soil-analog' }], { points: { 'soil-moisture': { name: 'bed-1', label: 'First bed' } } });
    expect((await save('Bed', soil)).status).toBe(200);
    const made = (await make('bed-node', 'Bed')).body;
    const [point] = made.points;
    expect([point.name, point.label]).toEqual(['bed-1', 'First bed']);
    const thresholds = (await house.keeper.get('/api/v1/thresholds')).body.filter((one: { point: number }) => one.point === point.id);
    expect(thresholds).toEqual([
      expect.objectContaining({ side: 'low', setpoint: 15, severity: 'advisory', output: null, phase: 'normal' }),
    ]);
  });
  it('refuse two points of one name before a node is made of them', async () => {
    const twice = draft([{ ref: 'air', part: 'climate-i2c' }], { points: { temperature: { name: 'humidity' } } });
    const answer = await save('Twice', twice);
    expect([answer.status, answer.body.detail]).toEqual([422, expect.stringMatching(/Two points are called humidity: rename one/)]);
  });
  it('in °F measure in °F: the dew point follows in its own unit', async () => {
    const air = draft([{ ref: 'air', part: 'climate-i2c' }], { points: { temperature: { unit: '°F' }, 'dew-point': { unit: '°F' } } });
    await save('American air', air);
    const { key } = (await make('air-f', 'American air')).body;
    const post = await fetch(`${house.server.url}/node/v1/up`, {
      method: 'POST',
      headers: { authorization: `Bearer ${key}`, 'content-type': 'application/json' },
      body: JSON.stringify({ temperature: 68, humidity: 50 }),
    });
    expect(post.status).toBe(200);
    const { readings } = (await house.maker.get(`/api/v1/points/air-f/dew-point/readings?from=${Date.now() - 60_000}`)).body;
    // 20 °C at 50 % has its dew point at 9.3 °C (WMO Magnus form), which is 48.7 °F.
    expect(readings[0][1]).toBeCloseTo(48.7, 0);
  });
  it('keep every version with the nodes that run it, and each node its ticks', async () => {
    await save('Post', draft([{ ref: 'air', part: 'climate-i2c' }]));
    await make('post-1', 'Post');
    await save(
      'Post',
      draft([
        { ref: 'air', part: 'climate-i2c' },
        { ref: 'light', part: 'light-i2c' },
      ]),
      { slug: 'post', version: 1 },
    );
    await make('post-2', 'Post');
    const versions = (await house.keeper.get('/api/v1/build-sheets/post/versions')).body;
    expect(versions.map((one: { version: number; nodes: string[] }) => [one.version, one.nodes])).toEqual([
      [2, ['post-2']],
      [1, ['post-1']],
    ]);
    expect((await house.keeper.get('/api/v1/build-sheets/gone/versions')).status).toBe(404);
    const tick = (step: string, done: boolean) => house.keeper.call('PUT', '/api/v1/nodes/post-1/assembly', { step, done });
    expect((await tick('part-air', true)).body).toMatchObject({ sheet: 'Post', version: 1, ticks: [{ step: 'part-air', by: 'baker' }] });
    await house.maker.call('PUT', '/api/v1/nodes/post-1/assembly', { step: 'part-air', done: true });
    expect((await house.keeper.get('/api/v1/nodes/post-1/assembly')).body.ticks).toHaveLength(1);
    expect((await house.keeper.get('/api/v1/nodes/post-1/assembly')).body.ticks[0].by).toBe('baker');
    expect((await tick('part-air', false)).body.ticks).toEqual([]);
    expect((await house.keeper.get('/api/v1/nodes/post-2/assembly')).body.draft.parts).toHaveLength(2);
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
    const first = (await house.maker.post('/api/v1/build-sheets', { name: 'Loft post', draft, base: null })).body;
    expect(first).toMatchObject({ slug: 'loft-post', version: 1, nodes: 0, behind: 0, body: { checks: { fails: 0 } } });
    expect(first.body.points.map((p: { name: string }) => p.name)).toEqual(['temperature', 'humidity', 'dew-point', 'open']);
    expect(first.body.wiring.length).toBeGreaterThan(6);
    await house.maker.post('/api/v1/nodes', { id: 'sheet-1', room: 'Grain loft', buildSheet: 'loft-post' });
    const second = (
      await house.maker.post('/api/v1/build-sheets', {
        name: 'Loft post',
        draft: { ...draft, reportSeconds: 1800 },
        base: { slug: 'loft-post', version: 1 },
      })
    ).body;
    expect(second).toMatchObject({ version: 2, nodes: 1, behind: 1 });
    expect(
      (await house.maker.get('/api/v1/build-sheets')).body.find((s: { slug: string }) => s.slug === 'climate-post').body.draft.parts,
    ).toHaveLength(2);
  });
  it('nodes are not made from a sheet that fails its checks', async () => {
    const failing = { ...draft, board: 'wifi-dual-38', supply: 'usb', parts: [{ ref: 'echo', part: 'level-ultrasonic' }] };
    expect(
      (await house.maker.post('/api/v1/build-sheets', { name: 'Race level', draft: failing, base: null })).body.body.checks.fails,
    ).toBe(1);
    const refused = await house.maker.post('/api/v1/nodes', { id: 'sheet-2', room: 'Wheel pit', buildSheet: 'race-level' });
    expect([refused.status, refused.body.detail]).toEqual([422, expect.stringMatching(/fails 1 of its checks: mend them under Plan/)]);
    expect((await house.keeper.post('/api/v1/build-sheets', { name: 'X', draft })).status).toBe(403);
    expect((await house.maker.post('/api/v1/build-sheets', { name: '<!>', draft, base: null })).status).toBe(422);
    expect(
      (await house.maker.post('/api/v1/build-sheets', { name: 'No board', draft: { ...draft, board: 'none' }, base: null })).body.detail,
    ).toMatch(/catalogue has no none/);
  });
  it('a profile of one’s own is taken, used and removed; a wrong one is refused with path and expectation', async () => {
    const { parts } = (await house.maker.get('/api/v1/catalogue')).body;
    const probe = { ...parts.find((p: { id: string }) => p.id === 'soil-analog'), id: 'my-probe', name: 'My own soil probe' };
    expect((await house.maker.post('/api/v1/catalogue', probe)).body).toEqual({ id: 'my-probe', version: 1 });
    expect((await house.maker.get('/api/v1/catalogue')).body.own).toEqual(['my-probe']);
    expect(
      (
        await house.maker.post('/api/v1/build-sheets', {
          name: 'Mine',
          draft: { ...draft, parts: [{ ref: 'a', part: 'my-probe' }] },
          base: null,
        })
      ).status,
    ).toBe(200);
    const wrong = await house.maker.post('/api/v1/catalogue', { ...probe, supplyVolts: [3.3] });
    expect([wrong.status, wrong.body.errors[0].path]).toEqual([422, expect.stringContaining('supplyVolts')]);
    expect((await house.maker.call('DELETE', '/api/v1/catalogue/my-probe')).status).toBe(200);
    expect((await house.maker.call('DELETE', '/api/v1/catalogue/my-probe')).status).toBe(404);
    // One of the same id stands in for what ships, until it is removed.
    const name = async () =>
      (await house.maker.get('/api/v1/catalogue')).body.parts.find((one: { id: string }) => one.id === 'soil-analog').name;
    await house.maker.post('/api/v1/catalogue', { ...probe, id: 'soil-analog' });
    expect(await name()).toBe('My own soil probe');
    await house.maker.call('DELETE', '/api/v1/catalogue/soil-analog');
    expect(await name()).not.toBe('My own soil probe');
  });
});
