import { emptyPlan, type SitePlan } from '@dewpost/core/site-plan';
import { openHouse, type House, SUBNET } from './house';

let house: House;
beforeAll(async () => {
  house = await openHouse();
});
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
