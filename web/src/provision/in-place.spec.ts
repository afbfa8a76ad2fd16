import { provision, type FitReply } from '@dewpost/contract';
import { ApiError } from '../data/api';
import { Selection } from '../shell/selection';
import { aNode, aPoint, NOON, Rig } from '../testing/rig';
import { Fit } from './fit/fit';
import { Labels } from './labels';

const need = (change: Partial<FitReply['needs'][number]>): FitReply['needs'][number] => ({
  id: 'signal',
  kind: 'signal',
  point: null,
  label: 'Signal in place',
  state: 'open',
  detail: '',
  by: null,
  at: null,
  selfTest: null,
  caution: null,
  tolerance: null,
  ...change,
});
const fit = (change: Partial<FitReply> = {}): FitReply => ({
  seconds: 60,
  fittedAt: null,
  fittedBy: null,
  needs: [
    need({}),
    need({ id: 'reading:humidity', kind: 'reading', point: 'humidity', label: 'Humidity', tolerance: 5, selfTest: 'Breathe on it.' }),
    need({ id: 'output:fan', kind: 'output', point: 'fan', label: 'Fan', caution: 'Blades turn.' }),
  ],
  levels: [],
  askedUntil: null,
  supply: { least: 3, battery: true, said: null },
  photos: [{ id: 3, at: NOON, by: 'baker', note: '' }],
  ...change,
});

describe('proving a node in place', () => {
  const open = (view: FitReply, answers: NonNullable<Parameters<typeof Rig.open>[1]['answers']> = [], connected = true) =>
    Rig.open(Fit, {
      inputs: { node: 'loft-climate' },
      snapshot: {
        nodes: [aNode({ connected })],
        points: [aPoint()],
        latest: [{ point: 1, at: NOON, value: 57.25, quality: 'good', reason: null, low: 50, high: 60, base: null }],
      },
      answers: [[provision.fit, view], ...answers],
    });
  it('shows what is asked, with what to try, what to take care of and what it reads now', async () => {
    const rig = await open(fit());
    expect(rig.text).toContain('0 of 3 passed; unarmed until all are settled');
    expect(rig.text).toMatch(/reads 57\.3 %/);
    expect(rig.text).toContain('Breathe on it.');
    expect(rig.text).toContain('Blades turn. Keep clear of what it moves.');
    expect(rig.element.querySelector('figure img')?.getAttribute('src')).toBe('/api/v1/nodes/loft-climate/photos/3');
  });
  it('compares with a hand instrument, by the part’s tolerance unless another is typed', async () => {
    const rig = await open(fit(), [[provision.fitCheck, fit()]]);
    expect(rig.button('Compare Humidity').disabled).toBe(true);
    await rig.fill('li:nth-child(2) input', '56');
    await rig.press('Compare Humidity');
    await rig.fill('li:nth-child(2) mat-form-field:nth-of-type(2) input', '2');
    await rig.press('Compare Humidity');
    expect(rig.asked(provision.fitCheck).map(({ body }) => body)).toEqual([
      { kind: 'reading', point: 'humidity', hand: 56, tolerance: 5 },
      { kind: 'reading', point: 'humidity', hand: 56, tolerance: 2 },
    ]);
  });
  it('asks a node for its level; one that is away is taken at what somebody reads off', async () => {
    const rig = await open(fit(), [[provision.askSignal, fit({ askedUntil: NOON + 60_000, needs: [need({ state: 'running' })] })]]);
    await rig.press('Take 60 s of signal');
    expect(rig.asked(provision.askSignal)).toHaveLength(1);
    expect(rig.button('Stay by it').disabled).toBe(true);
    const away = await open(fit(), [[provision.fitCheck, fit()]], false);
    expect(away.button('Take 60 s of signal').disabled).toBe(true);
    await away.fill('li:nth-child(1) input', '-66');
    await away.press('Keep this level');
    expect(away.asked(provision.fitCheck)).toEqual([{ params: { id: 'loft-climate' }, body: { kind: 'signal', dbm: -66 } }]);
  });
  it('says why an output is held, and when all is proved; what comes over the live stream is shown', async () => {
    const rig = await open(fit(), [[provision.operate, new ApiError(409, 'It rests for 8 min yet.')]]);
    await rig.press('On for 10 s Fan');
    expect(rig.element.querySelector('[role=alert]')?.textContent).toBe('It rests for 8 min yet.');
    await rig.arrive({ type: 'fit', node: 'loft-climate', fit: fit({ fittedAt: NOON, fittedBy: 'baker' }) });
    expect(rig.text).toContain('armed since Tue 24 Nov 12:00, by baker');
    const gone = await Rig.open(Fit, {
      inputs: { node: 'nobody' },
      answers: [[provision.fit, new ApiError(404, 'There is no node named nobody.')]],
    });
    expect(gone.element.querySelector('[role=alert]')?.textContent).toContain('no node named nobody');
  });
});

describe('labels', () => {
  const nodes = Array.from({ length: 26 }, (_, i) =>
    aNode({ id: `node-${i + 1}`, state: i < 20 ? 'proved' : 'planned', hardwareId: null }),
  );
  const open = () =>
    Rig.open(Labels, {
      snapshot: { nodes },
      answers: [
        [provision.labels, nodes.map(({ id }) => ({ node: id, setupNetwork: `dew-${id}`, setupPassword: `pass-${id}` }))],
        [provision.labelled, {}],
      ],
    });
  it('go on as many pages as they need, past what is used up already, each with its own code', async () => {
    const rig = await open();
    const count = (): number => rig.element.querySelectorAll('.paper > g').length;
    const codes = (): Set<string | null> =>
      new Set([...rig.element.querySelectorAll('.paper g g path')].map((one) => one.getAttribute('d')));
    expect([count(), codes().size]).toEqual([26, 26]);
    const pages = rig.element.querySelectorAll('.paper').length;
    const perPage = Number(/max="?(\d+)/.exec(rig.element.querySelector('.choose input[type=number]')!.outerHTML)![1]) + 1;
    expect(pages).toBe(Math.ceil(26 / perPage));
    await rig.fill('.choose input[type=number]', String(perPage - 1));
    expect(rig.element.querySelectorAll('.paper').length).toBe(Math.ceil((26 + perPage - 1) / perPage));
    await rig.fill('#l-which', 'written and proved');
    expect(rig.text).toContain('20 labels on');
    await rig.fill('#l-which', 'selected in the roster');
    expect(rig.text).toContain('Select nodes in the roster first.');
    rig.fixture.componentRef.injector.get(Selection).toggle('node-3', false);
    await rig.settle();
    expect(rig.text).toContain('1 label on 1 page');
  });
  it('hold the password of the node’s own network only when it is asked for; printing is noted in the ledger', async () => {
    const rig = await open();
    expect([rig.asked(provision.labels), rig.text.includes('pass-node-1')]).toEqual([[], false]);
    rig.element.querySelector<HTMLInputElement>('.choose input[type=checkbox]')!.click();
    await rig.settle();
    expect(rig.text).toContain('set-up pass-node-1');
    window.print = jest.fn();
    await rig.press('Print the labels');
    expect(rig.asked(provision.labelled)[0]?.body).toEqual({ nodes: nodes.map(({ id }) => id) });
    expect(window.print).toHaveBeenCalledTimes(1);
  });
  it('warn of a code that a phone cannot open', async () => {
    const rig = await open();
    expect(rig.text).toContain('A phone cannot reach http://localhost');
    await rig.fill('#l-address', 'http://192.168.7.2:8480/');
    expect(rig.text).not.toContain('A phone cannot reach');
  });
});
