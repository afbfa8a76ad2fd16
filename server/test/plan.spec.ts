import { emptyPlan, type SitePlan } from '@dewpost/core/site-plan';
import { openHouse, type House, SUBNET } from './house';

let house: House;
beforeAll(async () => {
  house = await openHouse();
}, 60_000);
afterAll(() => house.close());

const drawn = (change: Partial<SitePlan['floors'][number]>): SitePlan => {
  const plan = emptyPlan();
  return { ...plan, floors: plan.floors.map((floor) => ({ ...floor, ...change })) };
};
const save = (base: number, plan: unknown) => house.maker.call('PUT', '/api/v1/site-plan', { base, plan });

/** The smallest PNG header a decoder would begin with: signature, IHDR, width, height. */
const png = (width: number, height: number): string => {
  const bytes = Buffer.alloc(40);
  Buffer.from('89504e470d0a1a0a0000000d49484452', 'hex').copy(bytes);
  bytes.writeUInt32BE(width, 16);
  bytes.writeUInt32BE(height, 20);
  return bytes.toString('base64');
};

describe('the site plan', () => {
  it('is kept in versions, makes the rooms drawn on it, and refuses to overwrite what someone else saved', async () => {
    const before = (await house.keeper.get('/api/v1/site-plan')).body;
    const plan = drawn({
      rooms: [
        {
          id: 'store',
          name: 'Flour store',
          outline: [
            [0, 0],
            [4, 0],
            [4, 3],
          ],
        },
      ],
    });
    const saved = await save(before.version, plan);
    expect([saved.status, saved.body.version, saved.body.madeBy]).toEqual([200, before.version + 1, 'millwright']);
    expect((await house.maker.get('/api/v1/rooms')).body.map((room: { name: string }) => room.name)).toContain('Flour store');
    const late = await save(before.version, emptyPlan());
    expect([late.status, late.body.detail]).toEqual([409, expect.stringMatching(/millwright saved version \d+ since you began/)]);
    expect((await house.maker.get('/api/v1/site-plan')).body.plan.floors[0].rooms).toHaveLength(1);
    expect(await house.database('site_plan').where({ version: before.version + 1 })).toHaveLength(1);
  });
  it('names the path and the trouble of what cannot be used, and keeps what there was', async () => {
    const { version } = (await house.maker.get('/api/v1/site-plan')).body;
    const bow: [number, number][] = [
      [0, 0],
      [4, 3],
      [4, 0],
      [0, 3],
    ];
    const answer = await save(version, drawn({ rooms: [{ id: 'r', name: 'Bow', outline: bow }] }));
    expect([answer.status, answer.body.detail]).toEqual([
      422,
      expect.stringMatching(/plan\.floors\.0\.rooms\.0\.outline: the outline crosses itself/),
    ]);
    const wall = (i: number) => ({ id: `w${i}`, material: 'brick', from: [i / 10, 0], to: [i / 10, 1], thicknessMillimetres: 100 });
    const many = { ...emptyPlan(), floors: [{ ...emptyPlan().floors[0], walls: Array.from({ length: 10_000 }, (_, i) => wall(i)) }] };
    expect((await save(version, many)).body.detail).toMatch(/at most 2000 walls/);
    expect((await save(version, { ...emptyPlan(), format: 7 })).body.detail).toMatch(/of another version/);
    expect((await house.maker.get('/api/v1/site-plan')).body.version).toBe(version);
  });
  it('keeps pictures by what their bytes say they are, and serves nothing else', async () => {
    const add = (base64: string) => house.maker.post('/api/v1/site-plan/pictures', { base64 });
    const kept = await add(png(640, 480));
    expect([kept.status, kept.body.widthPixels, kept.body.heightPixels]).toEqual([200, 640, 480]);
    const served = await house.keeper.get(`/api/v1/site-plan/pictures/${kept.body.id}`);
    expect([served.status, served.headers.get('content-type'), served.headers.get('x-content-type-options')]).toEqual([
      200,
      'image/png',
      'nosniff',
    ]);
    expect((await house.visitor().get(`/api/v1/site-plan/pictures/${kept.body.id}`)).status).toBe(401);
    const svg = Buffer.from('<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>').toString('base64');
    expect((await add(svg)).body.detail).toMatch(/neither PNG nor JPEG/);
    expect((await add(png(90_000, 10))).body.detail).toMatch(/90000 × 10 points/);
    const { version } = (await house.maker.get('/api/v1/site-plan')).body;
    const foreign = drawn({ picture: { id: 'f'.repeat(64), widthPixels: 10, heightPixels: 10, metresPerPixel: 0.1, x: 0, y: 0 } });
    expect((await save(version, foreign)).body.detail).toMatch(/is not kept here/);
  });
});

describe('a build sheet that nobody needs', () => {
  const remove = (slug: string) => house.maker.call('DELETE', `/api/v1/build-sheets/${slug}`);
  const sheets = async (): Promise<string[]> =>
    (await house.maker.get('/api/v1/build-sheets')).body.map((sheet: { slug: string }) => sheet.slug);

  it('is taken away once no node stands on it; its name is free again, and nodes of before keep their sheet', async () => {
    const [drawn] = (await house.maker.get('/api/v1/build-sheets')).body;
    const saved = await house.maker.post('/api/v1/build-sheets', { name: 'Passing fancy', draft: drawn.body.draft, base: null });
    expect(saved.status).toBe(200);
    await house.maker.post('/api/v1/nodes', { id: 'fancy-1', room: 'Attic', buildSheet: 'passing-fancy' });
    const used = await remove('passing-fancy');
    expect([used.status, used.body.detail]).toEqual([409, 'fancy-1 stands on it: retire it first.']);
    await house.maker.post('/api/v1/nodes/fancy-1/retire', {});
    expect((await remove('passing-fancy')).status).toBe(200);
    expect(await sheets()).not.toContain('passing-fancy');
    expect((await remove('passing-fancy')).status).toBe(404);
    const none = await house.maker.post('/api/v1/nodes', { id: 'fancy-2', room: 'Attic', buildSheet: 'passing-fancy' });
    expect([none.status, none.body.detail]).toEqual([422, expect.stringMatching(/no build sheet passing-fancy/)]);
    const again = await house.maker.post('/api/v1/build-sheets', { name: 'Passing fancy', draft: drawn.body.draft, base: null });
    expect([again.status, again.body.version]).toEqual([200, 2]);
  });
});

describe('networks and addresses', () => {
  it('are tried in the order given; one left without its passphrase keeps it', async () => {
    const set = (networks: { name: string; passphrase: string | null }[]) => house.maker.replace('/api/v1/networks', { networks });
    await set([
      { name: 'wrenfold-nodes', passphrase: 'under the mill wheel' },
      { name: 'wrenfold-yard', passphrase: 'nine sacks of barley' },
    ]);
    const turned = await set([
      { name: 'wrenfold-yard', passphrase: null },
      { name: 'wrenfold-nodes', passphrase: null },
    ]);
    expect(turned.body.networks.map((network: { name: string }) => network.name)).toEqual(['wrenfold-yard', 'wrenfold-nodes']);
    const unknown = await set([{ name: 'new one', passphrase: null }]);
    expect([unknown.status, unknown.body.detail]).toEqual([422, expect.stringMatching(/new one has no passphrase yet/)]);
    expect((await set(Array.from({ length: 6 }, (_, i) => ({ name: `n${i}`, passphrase: 'long enough' })))).body.detail).toMatch(
      /five networks/,
    );
    const rows = (await house.database('site_network').orderBy('place')) as { name: string; passphrase_sealed: string }[];
    expect(rows.map((row) => row.name)).toEqual(['wrenfold-yard', 'wrenfold-nodes']);
    expect(JSON.stringify(rows)).not.toContain('barley');
  });
  it('may be open or hidden; one that was open has no passphrase to keep, and one with a passphrase is not called open', async () => {
    const set = (networks: object[]) => house.maker.replace('/api/v1/networks', { networks });
    const sealed = { name: 'wrenfold-nodes', passphrase: 'under the mill wheel', hidden: true };
    const kept = await set([sealed, { name: 'wrenfold-guests', passphrase: null, open: true }]);
    expect(kept.body.networks).toEqual([
      { name: 'wrenfold-nodes', passphraseSet: true, open: false, hidden: true },
      { name: 'wrenfold-guests', passphraseSet: false, open: true, hidden: false },
    ]);
    const both = await set([{ ...sealed, open: true }]);
    expect([both.status, both.body.detail]).toEqual([422, expect.stringMatching(/an open network has no passphrase/)]);
    const none = await set([{ name: 'wrenfold-guests', passphrase: null }]);
    expect([none.status, none.body.detail]).toEqual([422, expect.stringMatching(/has no passphrase yet/)]);
    await house.node('asks-aloud');
    const run = await house.maker.post('/api/v1/provision/runs', { node: 'asks-aloud' });
    expect(run.body.configuration.networks).toEqual([
      { name: 'wrenfold-nodes', passphrase: 'under the mill wheel', hidden: true },
      { name: 'wrenfold-guests', passphrase: null },
    ]);
  });
  it('an address stands outside the pool, inside its subnet, and with one node only', async () => {
    for (const id of ['address-1', 'address-2']) await house.node(id);
    const set = (addresses: Record<string, string>, subnets: object[] = [SUBNET]) =>
      house.maker.replace('/api/v1/addresses', { addressing: { how: 'static', subnets }, addresses });
    const good = await set({ 'address-1': '192.168.7.20', 'address-2': '192.168.7.21' });
    expect(good.body.nodes.find((one: { node: string }) => one.node === 'address-2')).toMatchObject({
      address: '192.168.7.21',
      subnet: 'site',
    });
    for (const [address, says] of [
      ['192.168.7.120', /router's own pool/],
      ['192.168.8.20', /is not in 192\.168\.7\.0\/24/],
      ['192.168.7.20', /is address-1's/],
      ['192.168.7.255', /broadcast/],
    ] as const) {
      const bad = await set({ 'address-1': '192.168.7.20', 'address-2': address });
      expect([bad.status, bad.body.errors[0].path]).toEqual([422, 'body.addresses.address-2']);
      expect(bad.body.detail).toMatch(says);
    }
    const overlapping = await set({}, [SUBNET, { ...SUBNET, id: 'gateway-1', network: '192.168.7.64', prefix: 26 }]);
    expect(overlapping.body.detail).toMatch(/overlaps the subnet of site/);
    expect(
      (await set({}, [{ ...SUBNET, network: '203.0.113.0', router: '203.0.113.1', poolFirst: '203.0.113.9', poolLast: '203.0.113.9' }]))
        .body.detail,
    ).toMatch(/RFC 1918/);
    const kept = (await house.maker.get('/api/v1/addresses')).body;
    expect(kept.nodes.find((one: { node: string }) => one.node === 'address-2').address).toBe('192.168.7.21');
  });
});

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
