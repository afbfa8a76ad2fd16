import { plan, watch } from '@dewpost/contract';
import { MatDialogRef } from '@angular/material/dialog';
import { ApiError } from '../data/api';
import { aNode, NOON, Rig } from '../testing/rig';
import { ShareDrawer } from '../watch/share-drawer';
import { NewNodesDialog } from './new-nodes';
import { Roster } from './roster';
import { Selection } from './selection';

describe('the roster', () => {
  const nodes = [
    aNode({ id: 'loft-1' }),
    aNode({ id: 'loft-2', state: 'planned', heardAt: null }),
    aNode({ id: 'cellar-1', room: 'Cellar', sheet: 'Relay box', state: 'stopped' }),
    aNode({ id: 'cellar-2', room: 'Cellar', heardAt: null }),
  ];
  const names = (rig: Rig<Roster>): string[] => [...rig.element.querySelectorAll('.node .name')].map((one) => one.textContent ?? '');
  it('stands by room, says when each was heard, and is searched by name, room and sheet', async () => {
    const rig = await Rig.open(Roster, { snapshot: { nodes } });
    expect(rig.rows('.room')).toEqual(['Grain loft 2', 'Cellar 2']);
    expect(rig.rows('.node').map((row) => row.replace(/\d+ (d|h \d\d)$/, 'long ago'))).toEqual([
      'loft-1 long ago',
      'loft-2',
      'cellar-1 stopped',
      'cellar-2 never',
    ]);
    for (const [wanted, found] of [
      ['CELLAR', ['cellar-1', 'cellar-2']],
      ['relay', ['cellar-1']],
      ['loft-2', ['loft-2']],
    ] as const) {
      await rig.fill('input[type=search]', wanted);
      expect(names(rig)).toEqual(found);
    }
    await rig.fill('input[type=search]', 'attic');
    expect(rig.text).toContain('No node has this in its name, room or sheet.');
    rig.element.querySelector('input')!.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape' }));
    await rig.settle();
    expect(names(rig)).toHaveLength(4);
  });
  it('folds a room away, and steps over what is folded', async () => {
    const rig = await Rig.open(Roster, { snapshot: { nodes } });
    const selection = rig.fixture.componentRef.injector.get(Selection);
    rig.element.querySelector<HTMLButtonElement>('.room')!.click();
    await rig.settle();
    expect(names(rig)).toEqual(['cellar-1', 'cellar-2']);
    const at: (string | null)[] = [];
    for (const by of [1, 1, 1, -1, -1] as const) {
      rig.fixture.componentInstance.step(by);
      at.push(selection.cursor());
    }
    expect(at).toEqual(['cellar-1', 'cellar-2', 'cellar-2', 'cellar-1', 'cellar-1']);
  });
  it('selects one, more with a key held, and lets go again', async () => {
    const rig = await Rig.open(Roster, { snapshot: { nodes } });
    const press = async (name: string, more: boolean): Promise<void> => {
      rig.element.querySelector(`#node-${name}`)!.dispatchEvent(new MouseEvent('click', { ctrlKey: more, bubbles: true }));
      await rig.settle();
    };
    const selected = (): string[] =>
      [...rig.element.querySelectorAll('.node[aria-pressed=true] .name')].map((one) => one.textContent ?? '');
    await press('loft-1', false);
    await press('cellar-1', true);
    expect([selected(), rig.text.includes('2 selected')]).toEqual([['loft-1', 'cellar-1'], true]);
    await press('loft-2', false);
    expect(selected()).toEqual(['loft-2']);
    await press('loft-2', false);
    expect(selected()).toEqual([]);
    expect((await Rig.open(Roster, { snapshot: null })).text).toContain('Reading the roster');
    expect((await Rig.open(Roster, { snapshot: { nodes: [] } })).text).toContain('No nodes yet.');
  });
});

describe('new nodes', () => {
  const body = { board: '', supply: '', parts: [], wiring: [], reportSeconds: 30, points: [], cautions: [], draft: null };
  const open = (answers: NonNullable<Parameters<typeof Rig.open>[1]['answers']> = []) => {
    const closed: boolean[] = [];
    return Rig.open(NewNodesDialog, {
      snapshot: { nodes: [aNode({ id: 'grain-loft-2' })] },
      providers: [{ provide: MatDialogRef, useValue: { close: () => closed.push(true) } }],
      answers: [[plan.sheets, [{ slug: 'climate-post', name: 'Climate post', version: 3, nodes: 1, behind: 0, body }]], ...answers],
    }).then((rig) => ({ rig, closed }));
  };
  it('are named by a pattern with a preview that goes past taken numbers and says which name cannot be', async () => {
    const { rig } = await open();
    const shown = (): string[] => rig.rows('.names tbody tr');
    // The second is there already: numbers go past it.
    expect(shown()).toEqual(['grain-loft-1 sealed', 'grain-loft-3 sealed', 'grain-loft-4 sealed']);
    expect(rig.button('Make 3 nodes').disabled).toBe(false);
    await rig.fill('#n-pattern', '{sheet}-{room}-{n:2}');
    expect(shown()).toEqual(['01', '02', '03'].map((n) => `climate-post-grain-loft-${n} sealed`));
    await rig.fill('#n-pattern', 'Loft {n}');
    expect([rig.button('Make 3 nodes').disabled, rig.text]).toEqual([true, expect.stringContaining('hyphen')]);
    await rig.fill('#n-pattern', 'same');
    expect(rig.button('Make 3 nodes').disabled).toBe(true);
    await rig.fill('#n-count', '0');
    expect(rig.text).toContain('Say how many: 1 to 200.');
    await rig.fill('#n-room', ' ');
    expect(rig.text).toContain('Choose a room, or type the name of a new one.');
  });
  it('are made all or none; a refusal is shown and what was typed stays', async () => {
    const { rig, closed } = await open([[plan.addNodes, new ApiError(409, 'attic-1 is taken.')]]);
    await rig.fill('#n-room', 'Attic');
    await rig.fill('#n-count', '2');
    rig.element.querySelector('form')!.dispatchEvent(new Event('submit'));
    await rig.settle();
    expect(rig.asked(plan.addNodes)).toEqual([
      { params: undefined, body: { ids: ['attic-1', 'attic-2'], room: 'Attic', buildSheet: 'climate-post' } },
    ]);
    expect([rig.element.querySelector('[role=alert]')?.textContent, closed]).toEqual(['attic-1 is taken.', []]);
    expect(rig.element.querySelector<HTMLInputElement>('#n-room')!.value).toBe('Attic');
    const good = await open([[plan.addNodes, { nodes: [] }]]);
    await good.rig.fill('#n-pattern', 'attic-{n}');
    good.rig.element.querySelector('form')!.dispatchEvent(new Event('submit'));
    await good.rig.settle();
    expect(good.closed).toEqual([true]);
  });
});

describe('sharing', () => {
  const dashboard = { slug: 'cellar', name: 'Cellar', points: [1] };
  const share = (change: object = {}) => ({
    id: 5,
    dashboard: 'cellar',
    label: 'Harvest visitors',
    madeBy: 'millwright',
    createdAt: NOON,
    endsAt: Date.now() + 86_400_000,
    revokedAt: null,
    seenAt: null,
    ...change,
  });
  const open = (list: unknown[], answers: NonNullable<Parameters<typeof Rig.open>[1]['answers']> = []) =>
    Rig.open(ShareDrawer, { inputs: { dashboard }, answers: [[watch.shares, list], ...answers] });
  it('lists the links in use of this dashboard only: none that has ended or was revoked', async () => {
    const rig = await open([
      share(),
      share({ id: 6, label: 'Revoked', revokedAt: NOON }),
      share({ id: 7, label: 'Over', endsAt: NOON - 1 }),
      share({ id: 8, label: 'Loft', dashboard: 'loft' }),
    ]);
    expect(rig.rows('.share-line b')).toEqual(['Harvest visitors']);
    expect(rig.text).toContain('not opened yet; until');
  });
  it('shows a link once, with its token past the hash, and ends one only when asked twice', async () => {
    const rig = await open(
      [share()],
      [
        [watch.share, { share: share({ id: 9, label: 'Guests' }), token: 'a-token' }],
        [watch.revokeShare, share({ revokedAt: NOON })],
      ],
    );
    expect(rig.button('Make link').disabled).toBe(true);
    await rig.fill('#share-label', 'Guests');
    await rig.press('30 d');
    rig.element.querySelector('form')!.dispatchEvent(new Event('submit'));
    await rig.settle();
    expect(rig.asked(watch.share)[0]?.body).toEqual({ dashboard: 'cellar', label: 'Guests', days: 30 });
    expect(rig.element.querySelector('#share-address')?.textContent).toBe('http://localhost/s#a-token');
    await rig.press('Revoke Harvest visitors');
    await rig.press('Keep');
    expect(rig.asked(watch.revokeShare)).toEqual([]);
    await rig.press('Revoke Harvest visitors');
    await rig.press('End it');
    expect(rig.asked(watch.revokeShare)[0]?.params).toEqual({ id: 5 });
  });
});
