import { access, respond, type Way } from '@dewpost/contract';
import { TestBed } from '@angular/core/testing';
import { ApiError } from '../../data/api';
import { StandinsApi } from '../../shell/standins-api';
import { aNode, aSnapshot, NOON, Rig } from '../../testing/rig';
import { NoticesPage } from '../notices';
import { WaysPage } from './ways';

const DESK: Way = {
  id: 1,
  kind: 'webhook',
  name: 'Night desk',
  to: 'example.org',
  least: 'warning',
  notices: true,
  madeBy: 'millwright',
  madeAt: NOON,
  provedAt: null,
  failedAt: null,
  failure: null,
};
const open = (answers: NonNullable<Parameters<typeof Rig.open>[1]['answers']> = [], ways: Way[] = [DESK]) =>
  Rig.open(WaysPage, { snapshot: {}, answers: [[respond.ways, ways], ...answers] });

describe('ways', () => {
  it('a webhook is added by its address; its secret is shown once, and it is to be tested', async () => {
    const rig = await open([[respond.addWay, { ...DESK, secret: 'signing-secret' }]]);
    await rig.fill('#w-name', 'Night desk');
    await rig.fill('#w-url', 'example');
    await rig.press('Add the webhook');
    expect([rig.asked(respond.addWay), rig.text.includes('an address such as https://example.org/hook')]).toEqual([[], true]);
    await rig.fill('#w-url', 'https://example.org/hook');
    await rig.press('Add the webhook');
    expect(rig.asked(respond.addWay)[0]?.body).toEqual({
      ...{ kind: 'webhook', name: 'Night desk', url: 'https://example.org/hook', least: 'advisory', notices: true, template: null },
    });
    await rig.fill('#w-name', 'Other desk');
    await rig.fill('#w-url', 'https://example.org/other');
    await rig.fill('#w-template', '{"message": "{titel}"}');
    await rig.press('Add the webhook');
    expect([rig.asked(respond.addWay).length, rig.text.includes('{titel} stands for nothing')]).toEqual([1, true]);
    await rig.fill('#w-template', '{"message": "{title}"}');
    await rig.press('Add the webhook');
    expect(rig.asked(respond.addWay)[1]?.body).toMatchObject({ template: '{"message": "{title}"}' });
    expect(rig.text).toContain('signing-secret');
    expect(rig.text).toContain('never proved: test it');
  });
  it('a node that said it can speak is chosen among those that did; where none has, it says where to look', async () => {
    const choose = async (rig: Awaited<ReturnType<typeof open>>): Promise<void> => {
      rig.element.querySelector<HTMLButtonElement>('mat-button-toggle[value=node] button')!.click();
      await rig.settle();
    };
    const mute = await open();
    await choose(mute);
    expect(mute.text).toContain('No node has said yet that it can speak');
    expect(mute.element.querySelector('#w-node')).toBeNull();
    TestBed.resetTestingModule();
    const nodes = [aNode({ id: 'floor-1', name: 'Mill floor box', room: 'Mill floor', says: ['sound', 'light'] }), aNode()];
    const rig = await Rig.open(WaysPage, {
      snapshot: { nodes },
      answers: [
        [respond.ways, []],
        [respond.addWay, { ...DESK, kind: 'node', to: 'floor-1', secret: null }],
      ],
    });
    await choose(rig);
    await rig.fill('#w-node-name', 'Mill floor');
    await rig.press('Add the node');
    expect([rig.asked(respond.addWay), rig.text.includes('choose a node')]).toEqual([[], true]);
    rig.element.querySelector<HTMLElement>('#w-node .mat-mdc-select-trigger')!.click();
    await rig.settle();
    const options = [...document.querySelectorAll<HTMLElement>('mat-option')];
    expect(options.map((option) => option.textContent?.trim())).toEqual(['Mill floor box, Mill floor: sound, light']);
    options[0]!.click();
    await rig.settle();
    await rig.press('Add the node');
    expect(rig.asked(respond.addWay)[0]?.body).toEqual({
      kind: 'node',
      name: 'Mill floor',
      node: 'floor-1',
      least: 'advisory',
      notices: false,
    });
  });
  it('a browser is subscribed with the key of the house, by a stand-in where there is one; pages are added for somebody', async () => {
    const keys = { p256dh: 'p'.repeat(87), auth: 'a'.repeat(22) };
    const standins = { subscribe: (publicKey: string) => Promise.resolve({ endpoint: `https://push.example/${publicKey}`, keys }) };
    const rig = await Rig.open(WaysPage, {
      snapshot: { status: { ...aSnapshot({}).status, standins: 'running' } },
      answers: [
        [respond.ways, [{ ...DESK, kind: 'page', to: 'baker' }]],
        [respond.pushKey, { publicKey: 'house-key' }],
        [respond.addWay, { ...DESK, kind: 'push', secret: null }],
        [access.accounts, [{ name: 'baker', role: 'keeper', demo: false, createdAt: NOON }]],
      ],
      providers: [{ provide: StandinsApi, useValue: standins }],
    });
    expect(rig.text).toContain('shown on open pages of baker, from warning on');
    const choose = async (kind: string): Promise<void> => {
      rig.element.querySelector<HTMLButtonElement>(`mat-button-toggle[value=${kind}] button`)!.click();
      await rig.settle();
    };
    await choose('push');
    // A page without TLS: it says so, and only the stand-in's browser may be subscribed.
    expect(rig.text).toContain('Browsers take pushes only from a page with TLS');
    expect(rig.button('Subscribe this browser').disabled).toBe(true);
    await rig.fill('#w-push-name', 'Phone');
    await rig.press('Subscribe the stand-in’s');
    await rig.frame();
    expect(rig.asked(respond.addWay)[0]?.body).toMatchObject({
      kind: 'push',
      name: 'Phone',
      endpoint: 'https://push.example/house-key',
      keys,
    });
    await choose('page');
    await rig.fill('#w-page-name', 'Phone in the mill');
    await rig.fill('#w-page-account', 'baker');
    await rig.press('Add their pages');
    expect(rig.asked(respond.addWay)[1]?.body).toMatchObject({ kind: 'page', account: 'baker' });
  });
  it('mail addresses are held apart by commas, and nonsense is said at its field', async () => {
    const rig = await open([[respond.addWay, { ...DESK, kind: 'mail', secret: null }]]);
    rig.element.querySelector<HTMLButtonElement>('mat-button-toggle[value=mail] button')!.click();
    await rig.settle();
    const field = (name: string): string => `[formControlName=${name}]`;
    await rig.fill('#w-mail-name', 'Millwright');
    await rig.fill(field('host'), 'smtp.example.org');
    await rig.fill(field('from'), 'mill@example.org');
    await rig.fill(field('to'), 'wright');
    await rig.press('Add the mail way');
    expect([rig.asked(respond.addWay), rig.text.includes('mail addresses, apart by commas')]).toEqual([[], true]);
    await rig.fill(field('to'), 'wright@example.org, baker@example.org');
    await rig.press('Add the mail way');
    expect(rig.asked(respond.addWay)[0]?.body).toMatchObject({
      to: ['wright@example.org', 'baker@example.org'],
      port: 587,
      tls: 'offered',
    });
  });
  it('a test says plainly whether it arrived, and a failure why', async () => {
    const failed = { ...DESK, failedAt: NOON, failure: 'it answered 500' };
    const rig = await open([[respond.testWay, { delivered: false, ms: 20, detail: 'it answered 500' }]], [failed]);
    expect(rig.text).toContain('did not arrive, Tue 24 Nov 12:00: it answered 500');
    await rig.press('Test Night desk');
    expect(rig.element.querySelector('[role=alert]')?.textContent).toBe('Night desk: it answered 500');
  });
  it('is taken away after it was asked once more; a keeper sees none', async () => {
    const rig = await open([[respond.removeWay, {}]]);
    await rig.press('Remove Night desk');
    expect(rig.asked(respond.removeWay)).toEqual([]);
    await rig.press('Take it away');
    expect(rig.asked(respond.removeWay)).toHaveLength(1);
    const keeper = await Rig.open(WaysPage, { snapshot: { me: { name: 'baker', role: 'keeper' } }, answers: [[respond.ways, [DESK]]] });
    expect([keeper.text.includes('Only makers'), keeper.asked(respond.ways)]).toEqual([true, []]);
  });
});

describe('notices', () => {
  const notice = { id: 1, threshold: 3, node: 'loft-hatch', point: 7, edge: 'trip', title: 'Hatch opened', at: NOON, value: 1, told: true };
  it('stand by their own words and the node’s name, those joined as such', async () => {
    const rig = await Rig.open(NoticesPage, {
      snapshot: { nodes: [aNode({ id: 'loft-hatch', name: 'Hatch to the loft' })] },
      answers: [[respond.notices, [notice, { ...notice, id: 2, told: false }]]],
    });
    expect(rig.rows()).toEqual([
      'Tue 24 Nov 12:00 Hatch opened Hatch to the loft told',
      'Tue 24 Nov 12:00 Hatch opened Hatch to the loft joined to the one before',
    ]);
  });
  it('none yet, or none to be read, is said', async () => {
    expect((await Rig.open(NoticesPage, { answers: [[respond.notices, []]] })).text).toContain('Nothing yet.');
    const failed = await Rig.open(NoticesPage, { answers: [[respond.notices, new ApiError(503, 'The database does not answer.')]] });
    expect(failed.element.querySelector('[role=alert]')?.textContent).toBe('The database does not answer.');
  });
});
