import { adopted, readers, sources, type Adopted } from '@dewpost/contract';
import { ApiError } from '../../data/api';
import { aNode, aPoint, NOON, Rig } from '../../testing/rig';
import { AdoptedPage } from './adopted';
import { heardRows, lineOf, nameFor, textsOf } from './heard-rows';
import { ReadersPage } from './readers';

const OVEN = aNode({ id: 'oven', name: 'Bread oven', kind: 'adopted', room: 'Proving room', sheet: 'Adopted' });
const entry = {
  topic: 'oven/state',
  pointer: '/temp/top',
  point: 'top',
  label: 'Oven, top',
  unit: '°C',
  factor: 0.1,
  offset: 0,
  texts: {},
};
const topic = (change: Partial<Adopted['heard'][number]>): Adopted['heard'][number] => ({
  topic: 'oven/state',
  at: NOON - 2000,
  times: 3,
  every: 5000,
  retained: false,
  kind: 'json',
  text: '',
  why: null,
  leaves: [],
  ...change,
});
const KNOWN: Adopted = {
  id: 'oven',
  account: 'oven',
  filters: ['oven/#'],
  perMinute: 12,
  skipped: 0,
  map: [{ ...entry, min: 0, max: 300 }],
  heard: [
    topic({
      leaves: [
        { pointer: '/temp/top', value: 2314 },
        { pointer: '/door', value: 'shut' },
      ],
    }),
    topic({ topic: 'oven/steam', kind: 'number', retained: true, leaves: [{ pointer: null, value: 1.42 }] }),
  ],
};
const WAY = { host: '192.168.7.2', httpPort: 8480, mqttPort: 1883 };
type Options = Parameters<typeof Rig.open>[1];
const open = (known: Partial<Adopted> = {}, answers: Options['answers'] = [], snapshot: Options['snapshot'] = {}) =>
  Rig.open(AdoptedPage, {
    snapshot: { nodes: [aNode(), OVEN], ...snapshot },
    answers: [[sources.way, WAY], [adopted.read, { ...KNOWN, ...known }], ...answers!],
  });
const leaf = (rig: Awaited<ReturnType<typeof open>>, words: string): HTMLButtonElement => {
  const found = [...rig.element.querySelectorAll<HTMLButtonElement>('.leaf')].find((row) => row.textContent?.includes(words));
  if (!found) throw new Error(`no line with ${words}`);
  return found;
};

describe('what has come, beside what it means', () => {
  it('every value is a line, with what it becomes; what is mapped and silent keeps its place', () => {
    const rows = heardRows(KNOWN.heard, [...KNOWN.map, { ...KNOWN.map[0]!, topic: 'oven/gone', pointer: null, point: 'gone' }]);
    expect(rows.map((row) => (row.kind === 'topic' ? row.topic.topic : [row.name, row.depth, row.entry?.point ?? null, row.live]))).toEqual(
      [
        'oven/state',
        ['top', 1, 'top', { value: expect.closeTo(231.4, 9) as number }],
        ['door', 0, null, null],
        'oven/steam',
        ['the whole message', 0, null, null],
        ['oven/gone', 0, 'gone', null],
      ],
    );
  });
  it('names a point by the firmware’s own word, and never twice', () => {
    expect(nameFor('oven/state', '/temp/Top left', new Set())).toBe('top-left');
    expect(nameFor('oven/steam', null, new Set(['steam']))).toBe('steam-2');
    expect(nameFor('a/温度', '/温度', new Set())).toBe('value');
  });
  it.each([
    ['shut 0, open 1', { shut: 0, open: 1 }],
    ['half open = 0.5', { 'half open': 0.5 }],
    ['cold: -1', { cold: -1 }],
    ['', {}],
    ['open', '“open”: a text and its number, such as open 1'],
  ])('%s are texts with numbers', (line, texts) => expect(textsOf(line)).toEqual(texts));
  it('comes back as it was typed', () => expect(textsOf(lineOf({ shut: 0, 'half open': 0.5 }))).toEqual({ shut: 0, 'half open': 0.5 }));
});

describe('an adopted node', () => {
  it('begins in two fields; the password is shown once, and stands in no line that is copied', async () => {
    const password = 'nobody-knows-it';
    const rig = await open({ heard: [], map: [] }, [[adopted.add, { id: 'oven', account: 'oven', password }]], { nodes: [aNode()] });
    await rig.fill('#a-name', 'Bread oven');
    await rig.fill('#a-room', 'Proving room');
    await rig.press('Adopt it');
    expect(rig.asked(adopted.add)).toEqual([{ params: undefined, body: { name: 'Bread oven', room: 'Proving room' } }]);
    await rig.arrive({ type: 'node', node: OVEN, points: [] });
    expect(rig.text).toContain(password);
    expect(rig.text).toContain('Nothing heard yet');
    for (const line of rig.element.querySelectorAll('pre')) expect(line.textContent).not.toContain(password);
  });

  it('ties a value to a point in the page only; keeping it is one request with the whole map', async () => {
    const rig = await open({}, [[adopted.setMap, []]]);
    expect(rig.text).toContain('231.4 °C');
    leaf(rig, 'door').click();
    await rig.settle();
    expect(rig.element.querySelector<HTMLInputElement>('#m-point')!.value).toBe('door');
    await rig.press('Tie it');
    expect(rig.text).toContain('say what it is');
    await rig.fill('#m-label', 'Oven door');
    await rig.fill('#m-texts', 'shut 0, open');
    await rig.press('Tie it');
    expect(rig.text).toContain('a text and its number');
    await rig.fill('#m-texts', 'shut 0, open 1');
    await rig.press('Tie it');
    expect([rig.asked(adopted.setMap), rig.text.includes('Oven door')]).toEqual([[], true]);
    await rig.press('Keep what it means');
    const [kept] = rig.asked(adopted.setMap);
    expect(kept?.body).toEqual([
      { ...entry, min: 0, max: 300 },
      {
        topic: 'oven/state',
        pointer: '/door',
        point: 'door',
        label: 'Oven door',
        unit: '',
        factor: 1,
        offset: 0,
        texts: { shut: 0, open: 1 },
        min: 0,
        max: 100,
      },
    ]);
    expect(rig.text).toContain('what comes from now on is stored');
  });

  it('a refusal keeps what was tied; leaving out takes a value out of the map, and as it was brings it back', async () => {
    const rig = await open({}, [[adopted.setMap, new ApiError(422, 'top is told in °C: keep that unit')]]);
    leaf(rig, 'top').click();
    await rig.settle();
    await rig.press('Leave it out');
    await rig.press('Keep what it means');
    expect(rig.element.querySelector('[role=alert]')?.textContent).toContain('keep that unit');
    expect(rig.asked(adopted.setMap)[0]?.body).toEqual([]);
    await rig.press('As it was');
    expect(rig.text).toContain('231.4 °C');
  });

  it('what has no number yet is asked for with a ring and its reason', async () => {
    const door = { ...KNOWN.map[0]!, pointer: '/door', point: 'door', label: 'Oven door', unit: '', factor: 1, texts: { open: 1 } };
    const rig = await open({ map: [door] });
    expect(rig.element.querySelector('.live li.asks')?.getAttribute('title')).toContain('“shut” has no number');
  });

  it('a keeper looks on: nothing to adopt, to tie or to reveal', async () => {
    const rig = await open({}, [], { me: { name: 'baker', role: 'keeper' } });
    for (const name of ['Adopt a node', 'Reveal', 'Keep what it means']) expect(() => rig.button(name)).toThrow();
    expect(leaf(rig, 'door').disabled).toBe(true);
  });
});

describe('reading accounts', () => {
  const points = [aPoint({ id: 7, node: 'oven', name: 'top', label: 'Oven, top' }), aPoint({ id: 8, name: 'humidity', label: 'Humidity' })];
  const reader = {
    id: 3,
    name: 'Hall display',
    account: 'hall-display',
    points: [7, 99],
    connected: 1,
    madeBy: 'millwright',
    madeAt: NOON,
  };
  const openReaders = (answers: Options['answers'] = [], snapshot: Options['snapshot'] = {}) =>
    Rig.open(ReadersPage, {
      snapshot: { nodes: [aNode(), OVEN], points, ...snapshot },
      answers: [[sources.way, WAY], [readers.list, [reader]], ...answers!],
    });

  it('are made for chosen points; the password is shown once', async () => {
    const made = { id: 4, account: 'bakery-display', password: 'nobody-knows-it', topics: ['dp/out/oven/top'] };
    const rig = await openReaders([[readers.add, made]]);
    expect(rig.text).toContain('Bread oven: Oven, top; a point that is retired');
    await rig.fill('#r-name', 'Bakery display');
    await rig.press('Make the account');
    expect([rig.asked(readers.add), rig.text.includes('Choose at least one point')]).toEqual([[], true]);
    await rig.fill('#r-find', 'bread');
    expect(rig.element.querySelectorAll('mat-checkbox')).toHaveLength(1);
    rig.element.querySelector<HTMLInputElement>('mat-checkbox input')!.click();
    await rig.settle();
    await rig.press('Make the account');
    expect(rig.asked(readers.add)).toEqual([{ params: undefined, body: { name: 'Bakery display', points: [7] } }]);
    expect(rig.text).toContain('nobody-knows-it');
    expect(rig.element.querySelector('pre')?.textContent).toContain(`-u bakery-display -P "$PASSWORD" -v -t 'dp/out/oven/top'`);
  });
  it('end after they were asked about once more', async () => {
    const rig = await openReaders([[readers.remove, {}]]);
    await rig.press('End Hall display');
    expect(rig.asked(readers.remove)).toEqual([]);
    await rig.press('End it');
    expect(rig.asked(readers.remove)).toEqual([{ params: { id: 3 }, body: undefined }]);
  });
  it('are no keeper’s to see', async () => {
    const rig = await openReaders([], { me: { name: 'baker', role: 'keeper' } });
    expect([rig.text.includes('Only makers'), rig.asked(readers.list)]).toEqual([true, []]);
  });
});
