import { reaching, type CheckReply, type Reaching } from '@dewpost/contract';
import { NOON, Rig } from '../testing/rig';
import { ReachingPage } from './reaching';
import { waysIn, worksBy } from './ways-in';

const address = (url: string, change: Partial<Reaching['addresses'][number]> = {}): Reaching['addresses'][number] => ({
  url,
  what: 'page',
  tls: url.startsWith('https'),
  reach: 'building',
  people: 0,
  nodes: 0,
  certified: null,
  ...change,
});
const KNOWN: Reaching = {
  addresses: [
    address('http://127.0.0.1:8480', { reach: 'computer', people: 1 }),
    address('http://192.168.7.2:8480'),
    address('https://mill.lan:8443', { certified: true }),
    address('https://192.168.7.2:8443', { certified: false }),
    address('mqtt://192.168.7.2:1883', { what: 'broker', nodes: 24 }),
  ],
  certificate: {
    names: ['mill.lan'],
    from: NOON,
    until: NOON,
    daysLeft: 41,
    fingerprint: 'AB:CD:EF:01:23:45:67',
    issuer: 'CN=Dew Post, authority of this building',
    problem: null,
  },
  loopbackOnly: false,
  nodeAddress: '192.168.7.2',
  nodeAddressReaches: true,
  publicOrigins: [],
  trustedProxies: [],
  httpPort: 8480,
};
const open = (known: Partial<Reaching> = {}, answers: NonNullable<Parameters<typeof Rig.open>[1]['answers']> = []) =>
  Rig.open(ReachingPage, { snapshot: {}, answers: [[reaching.read, { ...KNOWN, ...known }], ...answers] });

it('shows every address, who comes in by it, and a code for the phone by the best of them', async () => {
  const rig = await open();
  expect(rig.text).toContain('24 nodes');
  expect(rig.text).toContain('41 days left');
  expect(rig.text).toContain('the certificate is for another name');
  expect(rig.element.querySelector('.phone')?.textContent).toContain('https://mill.lan:8443');
  expect(rig.element.querySelector('.phone svg')?.getAttribute('aria-label')).toBe('QR code of https://mill.lan:8443');
});
it('says plainly where nobody else can come in, and where nodes would be led astray', async () => {
  expect((await open({ loopbackOnly: true })).text).toContain('DEWPOST_BIND=0.0.0.0');
  expect((await open({ nodeAddress: '127.0.0.1', nodeAddressReaches: false })).text).toContain('leads back to themselves');
});
it('a check shows where it stopped, its cause and what is next', async () => {
  const reply: CheckReply = {
    url: 'https://mill.example',
    leadsTo: ['203.0.113.7'],
    ok: false,
    cause: 'Port 443 does not answer.',
    next: 'Lead 443 to it.',
    steps: [
      { step: 'name', state: 'passed', ms: 30, text: '203.0.113.7' },
      { step: 'port', state: 'failed', ms: 5000, text: 'no answer' },
      { step: 'certificate', state: 'not reached', ms: 0, text: '' },
      { step: 'answer', state: 'not reached', ms: 0, text: '' },
    ],
  };
  const rig = await open({}, [[reaching.check, reply]]);
  await rig.fill('#reach-url', 'mill');
  await rig.press('Ask it');
  expect([rig.asked(reaching.check), rig.text.includes('an address such as https://mill.example')]).toEqual([[], true]);
  await rig.fill('#reach-url', 'https://mill.example');
  await rig.press('Ask it');
  expect(rig.rows('.steps li')[1]).toBe('port failed no answer');
  expect(rig.text).toContain('Cause Port 443 does not answer. Next Lead 443 to it.');
});
it('camera, serial port and notifications want TLS, or this very computer', () => {
  const by = (tls: boolean, reach: string, ownAuthority = false) => worksBy('Notifications', { tls, reach, ownAuthority });
  expect([by(false, 'computer'), by(false, 'building'), by(true, 'building'), by(true, 'building', true), by(true, 'outside')]).toEqual([
    ...(['works', 'page is not TLS', 'works', 'not till the phone trusts the authority', 'unknown till it is reached'] as const),
  ]);
});
it('each way in carries this server’s settings and its danger, and no secret', () => {
  const ways = waysIn({ httpPort: 8480, building: '192.168.7.2', name: 'mill.example' });
  expect(ways.map(({ title }) => title)).toEqual(['A network of your own', 'A reverse proxy with TLS', 'A tunnel']);
  for (const { danger, lines } of ways) expect([danger.length > 20, lines.length]).toEqual([true, 2]);
  expect(ways[1]?.lines[1]?.text).toContain('DEWPOST_PUBLIC_URL=https://mill.example');
});
