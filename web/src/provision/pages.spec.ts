import { plan, provision, type FitReply, type Report } from '@dewpost/contract';
import { nodeConfigurationSchema } from '@dewpost/core/wire';
import { ApiError } from '../data/api';
import { aNode, aRun, NOON, Rig } from '../testing/rig';
import { shippedCatalogue } from '../testing/shipped-catalogue';
import { verdictOf } from './commissioning';
import { Configurations } from './configurations';
import { FirmwarePage } from './firmware';
import { Ledger } from './ledger';
import { ReportPage } from './report';
import { image, nodes } from './pages.testing';

const configuration = nodeConfigurationSchema.parse({
  revision: 2,
  node: 'loft-climate',
  key: '••••••••••••••••',
  room: 'Grain loft',
  sheet: 'Climate post',
  broker: { host: '192.168.7.2', port: 1883 },
  networks: [{ name: 'wrenfold-nodes', passphrase: '••••••••' }],
  reportSeconds: 30,
  points: [{ name: 'temperature', unit: '°C' }],
  outputs: [],
});
const held = (change: object = {}) => ({
  revision: 2,
  digest: 'ef'.repeat(32),
  configuration,
  held: true,
  differences: [{ key: 'reportSeconds', before: '60', after: '30' }],
  downloadable: false,
  ...change,
});

describe('configurations', () => {
  const open = (answers: Parameters<typeof Rig.open>[1]['answers'] = [], role: 'maker' | 'keeper' = 'maker') =>
    Rig.open(Configurations, {
      snapshot: { nodes, me: { name: 'millwright', role } },
      answers: [[provision.configuration, held()], [plan.sheets, []], [plan.catalogue, shippedCatalogue], ...answers!],
    });

  it('says what differs from what was written, and who is behind; a leaf is told when it is written', async () => {
    const rig = await open();
    expect(rig.text).toContain('1 value differs from what was last written');
    expect(rig.rows()).toEqual([expect.stringMatching(/reportSeconds 60 30/)]);
    expect(rig.text).toContain('1 node on an older revision than theirs');
    const revisions = rig.rows('aside .row');
    expect(revisions[0]).toBe('cellar-relays 2 of 3, Tue 24 Nov 11:59');
    expect(revisions.find((row) => row.startsWith('weir-gate '))).toContain('a leaf of weir-gateway');
    expect(revisions.find((row) => row.startsWith('weir-gateway'))).toContain('a new key is on its way');
    expect(revisions.some((row) => row.startsWith('roof-rain'))).toBe(false);
    // Known to the node alone: nothing to download.
    expect(rig.text).toContain('Its key is known to the node alone');
  });
  it('tells an interval, rotates keys of those that were heard and use theirs, and says whom it could not', async () => {
    const rig = await open([
      [provision.setInterval, { changed: 1 }],
      [
        provision.rotateKeys,
        { rotating: ['loft-climate'], not: [{ node: 'weir-gateway', why: 'weir-gateway has not used its present key yet.' }] },
      ],
    ]);
    expect(rig.button('Tell it').disabled).toBe(true);
    await rig.fill('.air input[type=number]', '15');
    await rig.press('Tell it');
    expect(rig.asked(provision.setInterval)).toEqual([{ params: undefined, body: { nodes: ['loft-climate'], reportSeconds: 15 } }]);
    expect(rig.text).toContain('loft-climate is told to report every 15 s.');
    await rig.press('Rotate 3 keys');
    expect(rig.asked(provision.rotateKeys)[0]?.body).toEqual({ nodes: ['loft-climate', 'cellar-relays', 'weir-gateway'] });
    expect(rig.text).toContain('1 told a new key. weir-gateway has not used its present key yet.');
  });
  it('asks before a key is revoked or a board retired, and shows a refusal without losing anything', async () => {
    const rig = await open([
      [provision.revokeKey, {}],
      [provision.setGateway, new ApiError(422, 'loft-climate switches outputs: a leaf sleeps and takes no commands.')],
      [provision.replaceBoard, {}],
    ]);
    await rig.press('Revoke its key');
    expect(rig.asked(provision.revokeKey)).toEqual([]);
    await rig.press('Leave it');
    await rig.press('Revoke its key');
    await rig.press('Revoke it');
    expect(rig.asked(provision.revokeKey)).toEqual([{ params: { id: 'loft-climate' }, body: {} }]);
    await rig.fill('#c-gateway', 'weir-gateway, as its leaf');
    expect(rig.element.querySelector('[role=alert]')?.textContent).toContain('switches outputs');
    expect(rig.rows('#c-gateway')).toEqual(['the site’s own network']);
    await rig.press('Replace its board');
    await rig.press('Retire the board');
    expect(rig.text).toContain('loft-climate waits at the bench for its new board.');
  });
  it('shows a keeper what is held, and nothing to press; an error is said', async () => {
    const keeper = await open([], 'keeper');
    expect(keeper.text).toContain('Whole configurations are for makers.');
    expect([...keeper.element.querySelectorAll('aside button')]).toEqual([]);
    const broken = await Rig.open(Configurations, {
      snapshot: { nodes },
      answers: [[provision.configuration, new ApiError(409, 'No network is set.')]],
    });
    expect(broken.element.querySelector('[role=alert]')?.textContent).toContain('No network is set.');
    const empty = await Rig.open(Configurations, { snapshot: { nodes: [] }, answers: [[provision.configuration, held()]] });
    expect(empty.text).toContain('No nodes yet');
  });
});

const steps = (...list: [step: 'check' | 'write' | 'join' | 'label' | 'fetch', state: 'done' | 'failed', detail: string][]) =>
  list.map(([step, state, detail]) => ({ step, state, at: NOON, ms: 1500, detail, code: state === 'failed' ? 'passphrase' : null }));
const runs = [
  aRun({ id: 9, way: 'air', node: 'loft-climate', steps: steps(['fetch', 'done', 'outputs fail-safe, second radio off; image whole']) }),
  aRun({
    id: 8,
    node: 'cellar-relays',
    by: 'miller',
    result: 'stopped',
    steps: steps(['check', 'done', 'wifi-dual-38'], ['join', 'failed', 'refused']),
  }),
  aRun({
    id: 7,
    steps: steps(['check', 'done', 'wifi-dual-38, dw-00000001'], ['write', 'done', '98304 bytes'], ['label', 'done', 'printed']),
  }),
];
const batch = {
  id: 4,
  by: 'miller',
  madeAt: NOON - 700_000,
  state: 'done',
  heldUntil: 0,
  firmware: {},
  nodes: [{ node: 'cellar-relays', gateway: null, result: 'stopped' }],
};

describe('the ledger', () => {
  const open = () =>
    Rig.open(Ledger, {
      answers: [
        [provision.runs, runs],
        [provision.batches, [batch]],
      ],
    });
  it('finds runs by node, person, board and result, and by batch; a report is asked of what is shown', async () => {
    const rig = await open();
    const shown = (): string[] => rig.rows().map((row) => row.split(' ').find((word) => /-/.test(word)) ?? '');
    expect(shown()).toEqual(['loft-climate', 'cellar-relays', 'loft-climate'].map((name) => expect.stringContaining(name) as unknown));
    await rig.press('stopped');
    expect(rig.rows()).toEqual([expect.stringMatching(/^× cellar-relays .*Join 2 s refused stopped$/)]);
    await rig.press('all');
    await rig.fill('input[type=search]', 'DW-0000');
    expect(rig.text).toContain('3 of 3 runs');
    await rig.fill('input[type=search]', 'miller');
    expect(rig.text).toContain('1 of 3 runs');
    await rig.fill('input[type=search]', 'nobody');
    expect(rig.text).toContain('No run fits the search.');
    await rig.fill('input[type=search]', '');
    expect(rig.button('Report of these nodes').getAttribute('href')).toBe('/provision/report?nodes=loft-climate,cellar-relays');
    await rig.fill('.filter mat-select', 'batch 4, Tue 24 Nov 11:48, 1 node');
    expect([rig.rows().length, rig.button('Report of the batch').getAttribute('href')]).toEqual([1, '/provision/report?batch=4']);
  });
});

const fit = (change: Partial<FitReply> = {}): FitReply => ({
  seconds: 60,
  fittedAt: NOON,
  fittedBy: 'millwright',
  needs: [
    {
      id: 'signal',
      kind: 'signal',
      point: null,
      label: 'Signal in place',
      state: 'passed',
      detail: '-61 dBm',
      by: 'millwright',
      at: NOON,
      selfTest: null,
      caution: null,
      tolerance: null,
    },
  ],
  levels: [],
  askedUntil: null,
  supply: { least: 3, battery: false, said: null },
  photos: [],
  ...change,
});
const report = (change: Partial<Report> = {}): Report => ({
  node: aNode(),
  sheet: 'Climate post',
  version: 2,
  runs: [runs[0]!, runs[2]!],
  fit: fit(),
  steps: [{ id: 'a', text: 'Solder the header' }],
  ticks: [{ step: 'a', by: 'millwright', at: NOON }],
  ...change,
});

describe('a commissioning report', () => {
  it('is complete when written, labelled, built and fitted; otherwise it says what is missing, in order', () => {
    expect(verdictOf(report())).toEqual({ complete: true, missing: [] });
    const open = { ...fit().needs[0]!, state: 'failed' as const };
    expect(
      verdictOf(report({ node: aNode({ fittedAt: null }), runs: [runs[0]!, runs[1]!], ticks: [], fit: fit({ needs: [open] }) })).missing,
    ).toEqual([
      'writing stopped at Join',
      'its label was not printed',
      '1 step of its assembly not ticked off, of 1',
      'not proved in place: Signal in place',
    ]);
    expect(verdictOf(report({ runs: [runs[0]!] })).missing).toEqual(['it was never written here']);
    expect(verdictOf(report({ runs: [aRun({ result: 'running' })] })).missing[0]).toBe('writing is under way');
  });
  it('is printed for the nodes of a batch, each with its runs and what was proved in place', async () => {
    const rig = await Rig.open(ReportPage, {
      inputs: { batch: '4' },
      answers: [
        [provision.batches, [batch]],
        [provision.report, ({ params }: { params?: { id?: unknown } }) => report({ node: aNode({ id: String(params?.id) }) })],
      ],
    });
    expect(rig.asked(provision.report)).toEqual([{ params: { id: 'cellar-relays' }, body: undefined }]);
    expect(rig.text).toContain('Wrenfold Mill, 1 of 1 complete');
    expect(rig.text).toMatch(/Complete : written, proved, and fitted in place\..*version 2.*Run 9, over the air.*Run 7, at the bench/);
    expect(rig.text).toContain('Assembly: 1 of 1 step ticked off, by millwright.');
    const unknown = await Rig.open(ReportPage, { inputs: { batch: '77' }, answers: [[provision.batches, [batch]]] });
    expect(unknown.element.querySelector('[role=alert]')?.textContent).toContain('There is no batch 77');
  });
});

describe('the firmware library', () => {
  const answers = [
    [provision.firmware, [image(), image({ id: 'x', version: '1.0.0', signedBy: null, nodes: [], notes: '' })]],
    [provision.trustedKeys, [{ name: 'workshop', publicKey: 'A'.repeat(44), addedBy: 'millwright', addedAt: NOON }]],
    [provision.removeTrustedKey, []],
  ] as const;
  it('lists every version with who signed it and which nodes run it; keys are dropped by name; keepers see nothing of it', async () => {
    const rig = await Rig.open(FirmwarePage, { answers });
    expect(rig.rows()).toEqual([
      expect.stringMatching(/dewnode 1\.1\.0.*Joins sooner\..*160 kB.*workshop 5 : a-1, a-2, a-3, a-4 and more/),
      expect.stringMatching(/dewnode 1\.0\.0.*nobody none/),
    ]);
    expect(rig.button('Put into the library').disabled).toBe(true);
    await rig.press('Trust no longer workshop');
    expect(rig.asked(provision.removeTrustedKey)).toEqual([{ params: { name: 'workshop' }, body: undefined }]);
    const keeper = await Rig.open(FirmwarePage, { answers, snapshot: { me: { name: 'baker', role: 'keeper' } } });
    expect(keeper.text).toContain('The library is for makers');
  });
});
