import fc from 'fast-check';
import {
  addressProblem,
  checkCredentials,
  freeAddresses,
  ipv4ToNumber,
  isNetworkSecret,
  numberToIpv4,
  subnetProblems,
  type AddressPlan,
} from '.';

const plan: AddressPlan = {
  network: '192.168.7.0',
  prefix: 24,
  router: '192.168.7.1',
  poolFirst: '192.168.7.100',
  poolLast: '192.168.7.199',
};

describe('addresses', () => {
  it('come back from their numbers, and text that is none is refused', () => {
    fc.assert(fc.property(fc.integer({ min: 0, max: 0xffffffff }), (n) => expect(ipv4ToNumber(numberToIpv4(n))).toBe(n)));
    for (const bad of ['1.2.3', '1.2.3.256', '01.2.3.4', '1.2.3.4.5', 'a.b.c.d', '', ' 1.2.3.4']) expect(ipv4ToNumber(bad)).toBeNull();
  });
  it('are refused with the reason', () => {
    const taken = new Map([['192.168.7.20', 'loft-climate']]);
    const say = (address: string): string | null => addressProblem(plan, address, taken, 'cellar-climate');
    expect(say('192.168.8.20')).toMatch(/not in 192.168.7.0\/24/);
    expect(say('192.168.7.150')).toMatch(/router's own pool/);
    expect(say('192.168.7.255')).toMatch(/broadcast/);
    expect(say('192.168.7.1')).toMatch(/router/);
    expect(say('192.168.7.20')).toMatch(/loft-climate's/);
    expect([say('192.168.7.21'), addressProblem(plan, '192.168.7.20', taken, 'loft-climate')]).toEqual([null, null]);
  });
  it('that are handed out have no problem, and are never handed out twice', () => {
    const free = freeAddresses(plan, new Map([['192.168.7.2', 'x']]), 400);
    expect(free).toHaveLength(254 - 100 - 1 - 1);
    expect(new Set(free).size).toBe(free.length);
    for (const address of free) expect(addressProblem(plan, address, new Map(), '')).toBeNull();
  });
});

describe('a network’s name and passphrase', () => {
  it('are judged, never trimmed', () => {
    expect(checkCredentials('wrenfold-nodes', 'under the mill wheel')).toEqual([]);
    expect(checkCredentials('wrenfold-nodes ', ' under the mill wheel').map((note) => note.text)).toEqual([
      'The name ends with a space: is it so at the router?',
      'The passphrase begins with a space: is it so at the router?',
    ]);
    expect(checkCredentials('wrenfold 5GHz', 'under the mill wheel')[0]?.severity).toBe('warn');
    expect(['net5g', 'mill_5G', '5 GHz loft'].map((name) => checkCredentials(name, 'under the mill wheel').length)).toEqual([1, 1, 1]);
    expect(['net15g', 'wrenfold-15g', '2.5GHz'].flatMap((name) => checkCredentials(name, 'under the mill wheel'))).toEqual([]);
    expect(checkCredentials('x'.repeat(33), 'müll wheel').map((note) => note.severity)).toEqual(['fail', 'fail']);
    expect(isNetworkSecret('z'.repeat(64))).toBe(false);
    expect(checkCredentials('wrenfold-guests', null)).toEqual([
      { severity: 'warn', text: expect.stringMatching(/^Open: whoever is near hears/) },
    ]);
    expect(checkCredentials('wrenfold-guests', '').map((note) => note.severity)).toEqual(['fail']);
  });
});

describe('a router of a subnet', () => {
  it('does not stand in its own pool', () => {
    const subnet = {
      id: 'site',
      network: '192.168.7.0',
      prefix: 24,
      router: '192.168.7.1',
      poolFirst: '192.168.7.100',
      poolLast: '192.168.7.199',
    };
    expect(subnetProblems([subnet])).toEqual([]);
    expect(subnetProblems([{ ...subnet, router: '192.168.7.150' }])).toEqual([
      { at: 0, text: 'the router 192.168.7.150 lies in its own pool: it may give its own address away.' },
    ]);
  });
});
