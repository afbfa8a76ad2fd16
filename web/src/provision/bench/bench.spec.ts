import { addressing, plan, provision, type Run } from '@dewpost/contract';
import { bootSchema } from '@dewpost/core/rom-loader';
import { ApiError } from '../../data/api';
import { aNode, aRun, NOON, Rig } from '../../testing/rig';
import { shippedCatalogue } from '../../testing/shipped-catalogue';
import { Bench } from './bench';
import { Writer } from './writer';
import { sheet, image, ScriptedWriter, job, planned, look } from './bench.testing';

describe('the bench', () => {
  let writer: ScriptedWriter;
  const open = (
    nodes: readonly ReturnType<typeof aNode>[],
    {
      runs = [],
      answers = [],
      inputs = {},
      role = 'maker',
    }: {
      runs?: Run[];
      answers?: NonNullable<Parameters<typeof Rig.open>[1]['answers']>;
      inputs?: Record<string, unknown>;
      role?: 'maker' | 'keeper';
    } = {},
  ): Promise<Rig<Bench>> => {
    writer = new ScriptedWriter();
    return Rig.open(Bench, {
      inputs,
      providers: [{ provide: Writer, useValue: writer }],
      snapshot: { nodes: [...nodes], me: { name: 'millwright', role } },
      answers: [
        [provision.runs, runs],
        [provision.firmware, [image('1.1.0-rc.1'), image('1.0.0', { lamp: { joined: [1500, 100, 100, 1300] } })]],
        [plan.catalogue, shippedCatalogue],
        [plan.sheets, [sheet]],
        [addressing.networks, { version: 1, networks: [{ name: 'wrenfold-nodes', passphraseSet: true, open: false, hidden: false }] }],
        ...answers,
      ],
    });
  };
  const row = (rig: Rig<Bench>, node: string): string | undefined =>
    [...rig.element.querySelectorAll('.bench-row')]
      .map((one) => one.getAttribute('aria-label') ?? '')
      .find((label) => label.startsWith(`${node},`));
  it('holds what waits, what is unfitted, and what is to be written again; nothing else', async () => {
    const nodes = [planned, aNode(), aNode({ id: 'loft-fan', fittedAt: null }), aNode({ id: 'loft-hatch' })];
    const rig = await open(nodes, { inputs: { again: 'loft-hatch' } });
    expect(['roof-rain', 'loft-fan', 'loft-hatch', 'loft-climate'].map((node) => row(rig, node))).toEqual([
      'roof-rain, not written',
      'loft-fan, proved',
      'loft-hatch, to be written again',
      undefined,
    ]);
    expect(rig.text).toContain('2 to write, for wrenfold-nodes');
  });
  it('writes at once what is clean; asks where something warns, and offers nothing where it fails', async () => {
    const clean = await open([planned], { answers: [[provision.preflight, look('pass')]] });
    await clean.press('Write nodes');
    expect(writer.written).toEqual([[['roof-rain'], {}]]);
    const warns = await open([planned], { answers: [[provision.preflight, look('warn')]] });
    await warns.press('Write nodes');
    expect([writer.written, warns.text]).toEqual([[], expect.stringContaining('0 cannot be written, 1 ask, 0 are ready')]);
    await warns.press('Write 1 with its warnings');
    expect(writer.written).toHaveLength(1);
    const fails = await open([planned], { answers: [[provision.preflight, look('fail')]] });
    await fails.press('Write nodes');
    expect(fails.text).toContain('Fails: Sheet. Outdoors: coat the board.');
    expect(() => fails.button('Write 0')).toThrow();
    const broken = await open([planned], { answers: [[provision.preflight, new ApiError(409, 'No network is set.')]] });
    await broken.press('Write nodes');
    expect(broken.element.querySelector('[role=alert]')?.textContent).toBe('No network is set.');
  });
  it('looks again when another image is chosen, and writes that one', async () => {
    const rig = await open([planned], {
      answers: [
        [
          provision.preflight,
          ({ body }: { body?: unknown }) =>
            look('pass', Object.keys((body as { firmware: object }).firmware).length > 0 ? '1.1.0-rc.1' : '1.0.0'),
        ],
      ],
    });
    await rig.press('Images and checks');
    expect(rig.text).toContain('Image for gateway-board, 1 node');
    await rig.fill('.image-choice mat-select', 'dewnode 1.1.0-rc.1, not signed');
    await rig.press('Write 1');
    expect(writer.written).toEqual([[['roof-rain'], { 'gateway-board': 'dewnode-1.1.0-rc.1-gateway-board' }]]);
  });
  it('writes what is ticked, all that wait where nothing is', async () => {
    const nodes = ['roof-rain', 'loft-fan', 'weir-gate'].map((id) => aNode({ ...planned, id }));
    const rig = await open(nodes, {
      answers: [
        [
          provision.preflight,
          ({ body }: { body?: unknown }) => (body as { nodes: string[] }).nodes.map((node) => ({ ...look('pass')[0], node })),
        ],
      ],
    });
    expect(rig.text).toContain('3 to write');
    rig.element.querySelector<HTMLInputElement>('input[aria-label="Write loft-fan"]')!.click();
    await rig.settle();
    await rig.press('Write these 1');
    expect(writer.written).toEqual([[['loft-fan'], {}]]);
  });
  it('chooses whole rooms and sheets at once, and takes them back', async () => {
    const nodes = [
      aNode({ ...planned, id: 'loft-fan', room: 'Grain loft' }),
      aNode({ ...planned, id: 'loft-hatch', room: 'Grain loft' }),
      aNode({ ...planned, id: 'weir-gate', room: 'Weir hut' }),
    ];
    const rig = await open(nodes, {
      answers: [
        [
          provision.preflight,
          ({ body }: { body?: unknown }) => (body as { nodes: string[] }).nodes.map((node) => ({ ...look('warn')[0], node })),
        ],
      ],
    });
    const box = (words: string): HTMLInputElement =>
      [...rig.element.querySelectorAll('dp-bench-choose mat-checkbox')]
        .find((one) => one.textContent.includes(words))!
        .querySelector('input')!;
    await rig.press('room');
    box('Grain loft').click();
    await rig.settle();
    await rig.press('Write these 2');
    // The same warning of both stands once.
    expect(rig.rows('.preflight li')).toEqual(['Warns: Sheet. Outdoors: coat the board. all 2']);
    await rig.press('Leave it');
    box('Grain loft').click();
    await rig.settle();
    expect(() => rig.button('Write these 2')).toThrow();
    expect(rig.button('Write nodes')).toBeTruthy();
  });
  it('says at which port a board is plugged in and lets a person say so; the port of another’s board is no choice', async () => {
    const rig = await open([planned, aNode({ ...planned, id: 'loft-fan' })]);
    writer.boardAt.set(new Map([['loft-fan', 1]]));
    await rig.settle();
    expect(rig.button('Port of loft-fan: port 1')).toBeTruthy();
    await rig.press('Port of roof-rain: any port');
    const items = (): HTMLButtonElement[] => [...document.querySelectorAll<HTMLButtonElement>('button[mat-menu-item]')];
    expect(items().map((item) => [item.textContent.trim(), item.disabled])).toEqual([
      ['Any port that is free', false],
      ['Port 1, the board of loft-fan', true],
      ['Port 2', false],
    ]);
    items()[2]!.click();
    await rig.settle();
    expect(writer.chosenPorts).toEqual([['roof-rain', 2]]);
  });
  it('draws the button to hold while the chip is asked, and where it did not come into its loader', async () => {
    const rig = await open([planned]);
    const boot = bootSchema.parse({ way: 'button', button: 'FLASH', where: 'at the lower edge' });
    writer.jobs.set(new Map([['roof-rain', job({ step: 'check', hand: { since: Date.now(), boot } })]]));
    await rig.settle();
    expect(row(rig, 'roof-rain')).toMatch(/waits for your hand/);
    expect(rig.element.querySelector('dp-boot-button svg')?.getAttribute('aria-label')).toContain('FLASH is ringed, at the lower edge');
    expect(rig.rows('dp-boot-button li')).toEqual([
      'Hold FLASH , at the lower edge.',
      'Press RST once, hold on to FLASH.',
      'Let go of FLASH when this row says erasing .',
    ]);
    const refused = aRun({
      node: 'roof-rain',
      result: 'stopped',
      steps: [{ step: 'check', state: 'failed', at: NOON, ms: 1, detail: 'asked 60 s', code: 'no-boot-mode' }],
    });
    const stopped = await open([{ ...planned, state: 'stopped' }], { runs: [refused] });
    expect(stopped.element.querySelectorAll('.remedy dp-boot-button')).toHaveLength(1);
  });
  it('counts first readings, says when the next is due, and how long a chip has been erasing', async () => {
    const contact = { step: 'contact' as const, state: 'done' as const, at: NOON, ms: 1, detail: '', code: null };
    const first = { have: 1, of: 3, nextAt: Date.now() + 600_000 };
    const run = aRun({ node: 'roof-rain', result: 'running', endedAt: null, steps: [contact], first });
    const rig = await open([{ ...planned, state: 'written' }], { runs: [run] });
    expect(row(rig, 'roof-rain')).toMatch(/^roof-rain, 1 of 3, next in (10 min|9 min 59 s)/);
    writer.jobs.set(new Map([['roof-rain', job({ erasing: { since: Date.now(), longestMs: 30_000 } })]]));
    await rig.settle();
    expect(row(rig, 'roof-rain')).toMatch(/^roof-rain, erasing, \d+ s of at most 30 s/);
  });
  it('asks in its own row where one node is written again, and lets go of a port whose board was taken off', async () => {
    const failed = aRun({
      node: 'roof-rain',
      result: 'stopped',
      steps: [{ step: 'digest', state: 'failed', at: NOON, ms: 1, detail: 'read back differs', code: 'digestMismatch' }],
    });
    const rig = await open([{ ...planned, state: 'stopped' }, aNode({ ...planned, id: 'loft-fan' })], {
      runs: [failed],
      answers: [[provision.preflight, look('warn')]],
    });
    writer.boardAt.set(new Map([['roof-rain', 3]]));
    await rig.settle();
    await rig.press('Write again roof-rain');
    expect(rig.element.querySelector('.bench-row[aria-label^="roof-rain"] .in-row')?.textContent).toContain('Outdoors: coat the board.');
    await rig.press('Its board is off port 3 , roof-rain');
    expect(writer.chosenPorts).toEqual([['roof-rain', null]]);
  });
  it('says stopped, with its cause, as soon as the server has ended the run that this page was at', async () => {
    const at = (result: 'running' | 'stopped', steps: Run['steps']) => aRun({ id: 1, node: 'roof-rain', result, endedAt: null, steps });
    const contact = { step: 'contact' as const, state: 'done' as const, at: NOON, ms: 1, detail: '', code: null };
    const rig = await open([{ ...planned, state: 'written' }], { runs: [at('running', [contact])] });
    writer.jobs.set(new Map([['roof-rain', job({ step: 'contact' })]]));
    await rig.settle();
    expect(row(rig, 'roof-rain')).toMatch(/first values, for /);
    const cause = {
      step: 'readings' as const,
      state: 'failed' as const,
      at: NOON,
      ms: null,
      detail: 'humidity: 0 of 3 after 155 s',
      code: 'no-readings',
    };
    await rig.arrive({ type: 'run', run: at('stopped', [contact, cause]) }, { type: 'node', node: { ...planned, state: 'stopped' } });
    expect(row(rig, 'roof-rain')).toBe('roof-rain, stopped');
    expect(rig.rows('dl.remedy')[0]).toMatch(/0 of 3 after 155 s/);
  });
  it('says how far each is, and whose gateway a leaf waits for', async () => {
    const rig = await open([planned, aNode({ id: 'weir-gate', state: 'planned', fittedAt: null })]);
    writer.jobs.set(
      new Map([
        ['roof-rain', job()],
        ['weir-gate', job({ node: 'weir-gate', port: null, step: 'queued', after: 'weir-gateway' })],
      ]),
    );
    await rig.settle();
    expect([row(rig, 'roof-rain'), row(rig, 'weir-gate')]).toEqual([
      'roof-rain, 25 %, 40 kB/s, 12 s left',
      'weir-gate, waits for weir-gateway',
    ]);
  });
  it('shows cause, remedy and the evidence of what stopped, with the lamp of that board and image', async () => {
    const stopped = { ...planned, state: 'stopped' as const };
    const failed = aRun({
      node: 'roof-rain',
      result: 'stopped',
      firmware: image('1.0.0').id,
      steps: [
        { step: 'join', state: 'failed', at: NOON, ms: 4000, detail: 'wrenfold-nodes refused the passphrase', code: 'wrong-passphrase' },
      ],
    });
    const rig = await open([stopped], { runs: [failed] });
    expect(rig.rows('dl.remedy')[0]).toMatch(/^What .*refused the passphrase.* Cause .* Next .*/);
    expect(rig.text).toContain('Set it up without writing it again');
    rig.element.querySelector<HTMLButtonElement>('.bench-row .name button')!.click();
    await rig.settle();
    // The board has a flicker of its own, its image a wink of its own.
    expect(rig.text).toContain('two lamps on the front, the green one counts.');
    const lamps = rig.rows('.lamps li');
    expect([lamps[0], lamps[3]]).toEqual([
      expect.stringMatching(/^a short blink every 0\.4 s , being written/),
      expect.stringMatching(/^long, short, then a pause , joined/),
    ]);
  });
  it('lists what to try at each part where first readings went wrong', async () => {
    const failed = aRun({
      node: 'roof-rain',
      result: 'stopped',
      steps: [{ step: 'readings', state: 'failed', at: NOON, ms: null, detail: 'humidity 0 % every time', code: 'stuck-at-zero' }],
    });
    const rig = await open([{ ...planned, state: 'stopped' }], { runs: [failed] });
    rig.element.querySelector<HTMLButtonElement>('.bench-row .name button')!.click();
    await rig.settle();
    expect(rig.text).toMatch(/If a first reading is wrong.*: .+\. What the lamp says/);
  });
  it('reveals a sealed key to makers only, and hands nothing out otherwise', async () => {
    const rig = await open([planned], { answers: [[plan.revealKey, { key: 'a-key-of-22-characters' }]] });
    rig.element.querySelector<HTMLButtonElement>('.bench-row .name button')!.click();
    await rig.settle();
    expect(rig.text).not.toContain('a-key-of-22-characters');
    await rig.press('Reveal');
    expect([rig.asked(plan.revealKey)[0]?.params, rig.text]).toEqual([
      { id: 'roof-rain' },
      expect.stringContaining('a-key-of-22-characters'),
    ]);
    const keeper = await open([planned], { role: 'keeper' });
    keeper.element.querySelector<HTMLButtonElement>('.bench-row .name button')!.click();
    await keeper.settle();
    for (const name of ['Reveal', 'Write nodes', 'Network', 'Written elsewhere roof-rain']) expect(() => keeper.button(name)).toThrow();
  });
  it('waits at Join for a board that is written elsewhere, with its configuration in three forms', async () => {
    const rig = await open([planned], {
      answers: [[provision.elsewhere, aRun({ node: 'roof-rain', way: 'elsewhere', result: 'running' })]],
    });
    rig.element.querySelector<HTMLButtonElement>('.bench-row .name button')!.click();
    await rig.settle();
    await rig.press('Written elsewhere roof-rain');
    await rig.arrive(
      { type: 'run', run: aRun({ node: 'roof-rain', way: 'elsewhere', result: 'running' }) },
      { type: 'node', node: { ...planned, state: 'writing' } },
    );
    expect(row(rig, 'roof-rain')).toBe('roof-rain, waits for it to join');
    expect(['JSON', 'C header', 'CSV'].map((form) => rig.button(form).getAttribute('href'))).toEqual(
      ['json', 'header', 'csv'].map((form) => `/api/v1/nodes/roof-rain/configuration/${form}`),
    );
  });
});
