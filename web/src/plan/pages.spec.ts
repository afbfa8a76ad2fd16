import { addressing, plan } from '@dewpost/contract';
import { ApiError } from '../data/api';
import { aNode, aPoint, Rig } from '../testing/rig';
import { Addresses } from './addresses/addresses';
import { Sums } from './sums/sums';

const subnet = (change: object = {}) => ({
  id: 'site',
  network: '192.168.7.0',
  prefix: 24,
  router: '192.168.7.1',
  poolFirst: '192.168.7.100',
  poolLast: '192.168.7.199',
  ...change,
});
const kept = (addresses: Record<string, string | null>, how = 'static') => ({
  version: 4,
  addressing: { how, subnets: [subnet()] },
  nodes: Object.entries(addresses).map(([node, address]) => ({ node, address, subnet: 'site', hardwareId: null })),
});

describe('addresses', () => {
  const open = (state: object, more: Parameters<typeof Rig.open>[1]['answers'] = [], role: 'maker' | 'keeper' = 'maker') =>
    Rig.open(Addresses, {
      snapshot: { me: { name: 'millwright', role } },
      answers: [
        [
          addressing.networks,
          {
            version: 3,
            networks: [
              { name: 'wrenfold-nodes', passphraseSet: true, open: false, hidden: false },
              { name: 'wrenfold-yard', passphraseSet: true, open: false, hidden: false },
            ],
          },
        ],
        [addressing.addresses, state],
        ...more!,
      ],
    });
  it('gives nodes that have none the next free ones, outside the pool and the router; what is there stays', async () => {
    const rig = await open(kept({ 'loft-climate': '192.168.7.2', 'loft-fan': null, 'cellar-beds': null }), [
      [addressing.setAddresses, kept({})],
    ]);
    expect(rig.text).toContain('1 of 3 nodes have an address');
    await rig.press('Give 2 nodes an address');
    await rig.press('Keep subnets and addresses');
    const [{ body } = { body: null }] = rig.asked(addressing.setAddresses);
    const { addresses } = body as { addresses: Record<string, string> };
    expect(addresses['loft-climate']).toBe('192.168.7.2');
    const given = Object.values(addresses);
    expect(new Set(given).size).toBe(3);
    for (const address of given) {
      const last = Number(address.split('.')[3]);
      expect(last !== 1 && (last < 100 || last > 199)).toBe(true);
    }
  });
  it('shows what somebody else has saved beside what was typed; theirs is taken, or mine is saved over it, and nothing typed is lost', async () => {
    const theirs = { ...kept({ 'loft-climate': '192.168.7.9' }), version: 5 };
    const rig = await open(kept({ 'loft-climate': '192.168.7.2' }), [[addressing.setAddresses, new ApiError(409, 'changed', [], theirs)]]);
    await rig.frame();
    await rig.fill('input[aria-label="Address of loft-climate"]', '192.168.7.3');
    await rig.press('Keep subnets and addresses');
    const shown = rig.element.querySelector('dp-changed-meanwhile')!.textContent!.replace(/\s+/g, ' ');
    expect(shown).toMatch(/version 5 is in force.*loft-climate ?192\.168\.7\.3 ?192\.168\.7\.9/);
    await rig.press('Save mine over it');
    const bodies = rig.asked(addressing.setAddresses).map(({ body }) => body as { from: number; addresses: Record<string, string> });
    expect(bodies.map(({ from, addresses }) => [from, addresses['loft-climate']])).toEqual([
      [4, '192.168.7.3'],
      [5, '192.168.7.3'],
    ]);
    await rig.press('Take what is in force');
    await rig.frame();
    expect(rig.element.querySelector<HTMLInputElement>('input[aria-label="Address of loft-climate"]')!.value).toBe('192.168.7.9');
  });
  it('says what is wrong beside the field and keeps nothing while it is: taken, in the pool, outside, the router’s', async () => {
    const rig = await open(kept({ 'loft-climate': '192.168.7.2', 'loft-fan': '192.168.7.3' }));
    await rig.frame();
    const type = (text: string): Promise<void> => rig.fill('input[aria-label="Address of loft-fan"]', text);
    for (const wrong of ['192.168.7.2', '192.168.7.120', '10.0.0.5', '192.168.7.1', '192.168.7.300']) {
      await type(wrong);
      expect([wrong, rig.button('Keep subnets and addresses').disabled, rig.rows('.right .note.wrong').length]).toEqual([wrong, true, 1]);
    }
    await type('192.168.7.40');
    expect(rig.button('Keep subnets and addresses').disabled).toBe(false);
  });
  it('wants a passphrase of a network that has none yet, and moves what is dragged by the arrow keys too', async () => {
    const rig = await open(kept({}));
    await rig.press('Network');
    await rig.fill('.network-row:nth-of-type(3) input', 'wrenfold-loft');
    await rig.fill('.network-row:nth-of-type(3) input[type=password]', '');
    await rig.press('Keep the networks');
    expect(rig.asked(addressing.setNetworks)).toEqual([]);
    expect(rig.element.querySelectorAll('.network-row')[2]!.textContent).toContain('needed');
    const handle = rig.button('Move wrenfold-loft: drag, or arrow keys');
    handle.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowUp', bubbles: true }));
    await rig.settle();
    expect(rig.element.querySelectorAll<HTMLInputElement>('.network-row mat-form-field input:not([type=password])')[1]!.value).toBe(
      'wrenfold-loft',
    );
  });
  it('an open network asks for no passphrase and says what that means; a hidden one is kept as hidden', async () => {
    const rig = await open(kept({}), [[addressing.setNetworks, { version: 2, networks: [] }]]);
    await rig.press('Network');
    const row = (): Element => rig.element.querySelectorAll('.network-row')[2]!;
    await rig.fill('.network-row:nth-of-type(3) input', 'wrenfold-guests');
    for (const box of row().querySelectorAll<HTMLInputElement>('input[type=checkbox]')) box.click();
    await rig.settle();
    expect(row().textContent).toMatch(/whoever is near hears what nodes send/);
    expect(row().querySelector<HTMLInputElement>('input[type=password]')!.readOnly).toBe(true);
    await rig.press('Keep the networks');
    const body = rig.asked(addressing.setNetworks)[0]!.body as { networks: unknown[] };
    expect(body.networks[2]).toEqual({ name: 'wrenfold-guests', passphrase: null, open: true, hidden: true });
  });
  it('puts networks in order and leaves sealed passphrases as they are; a refusal is shown and what was typed stays', async () => {
    const rig = await open(kept({}), [[addressing.setNetworks, new ApiError(422, 'a passphrase has 8 to 63 characters without accents')]]);
    await rig.press('Earlier: wrenfold-yard');
    await rig.press('Network');
    const names = [...rig.element.querySelectorAll<HTMLInputElement>('.network-row mat-form-field input')];
    expect(names.map((field) => field.value)).toEqual(['wrenfold-yard', '', 'wrenfold-nodes', '', '', '']);
    await rig.press('Remove wrenfold-nodes');
    await rig.fill('.network-row:nth-of-type(2) input', 'wrenfold-loft');
    await rig.press('Keep the networks').catch(() => undefined);
    expect(rig.element.querySelectorAll<HTMLInputElement>('.network-row mat-form-field input')[2]?.value).toBe('wrenfold-loft');
    expect((await open(kept({}), [], 'keeper')).text).toContain('Networks and addresses are for makers');
  });
});

describe('traffic and cost', () => {
  const open = (more: Parameters<typeof Rig.open>[1]['answers'] = []) =>
    Rig.open(Sums, {
      snapshot: {
        nodes: [aNode(), aNode({ id: 'loft-fan', reportSeconds: 60 })],
        points: [aPoint(), aPoint({ id: 2, name: 'temperature' })],
      },
      answers: [
        [plan.catalogue, { boards: [], parts: [], supplies: [], antennas: [], gateways: [], own: [], versions: {} }],
        [plan.sheets, []],
        [plan.leafBurst, { count: 3, spacingMs: 20 }],
        ...more!,
      ],
    });
  it('adds up what all nodes send', async () => {
    // Two messages a minute from the one, one from the other; two readings and one.
    expect((await open()).text).toMatch(/3\.0 a minute, 4 320 a day.*7 200 rows a day/);
  });
  it('plans how leaves send: more copies arrive more often, and whom it concerns is said', async () => {
    const rig = await open([[plan.setLeafBurst, { leaves: ['weir-gate', 'weir-level'] }]]);
    const arrive = (): number => Number(/10 s: ([\d.]+) %/.exec(rig.text)![1]);
    const before = arrive();
    expect(rig.button('Plan it so').disabled).toBe(true);
    await rig.fill('#burst-apart', '900');
    expect(arrive()).toBeGreaterThan(before);
    await rig.press('Plan it so');
    expect(rig.asked(plan.setLeafBurst)).toEqual([{ params: undefined, body: { count: 3, spacingMs: 900 } }]);
    expect(rig.text).toContain('Write weir-gate, weir-level again to tell them.');
  });
  it('says so when there is nothing to add up', async () => {
    expect(
      (
        await Rig.open(Sums, {
          snapshot: { nodes: [] },
          answers: [
            [plan.catalogue, { boards: [], parts: [], supplies: [], antennas: [], gateways: [], own: [], versions: {} }],
            [plan.sheets, []],
            [plan.leafBurst, { count: 3, spacingMs: 20 }],
          ],
        })
      ).text,
    ).toContain('There is none yet');
  });
});
