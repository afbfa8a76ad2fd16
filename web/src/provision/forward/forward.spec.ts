import { forwards, type Forward } from '@dewpost/contract';
import { BODY_TEMPLATES } from '@dewpost/core/forward';
import { ApiError } from '../../data/api';
import { aNode, aPoint, NOON, Rig } from '../../testing/rig';
import { ForwardPage } from './forward-page';

const CAP = { sends: null, windowSeconds: 900, records: 100, bytes: 100_000 };
const one = (change: Partial<Forward> = {}): Forward => ({
  id: 3,
  version: 2,
  settings: {
    kind: 'http',
    name: 'Valley',
    points: [1],
    cap: CAP,
    keepHours: 72,
    authority: '',
    url: 'https://valley.example.org/in',
    body: { ...BODY_TEMPLATES.lines },
  },
  hasPassword: true,
  points: [1],
  paused: false,
  waiting: 0,
  sent: 12,
  dropped: 0,
  sentAt: NOON,
  failedAt: null,
  failure: null,
  madeBy: 'millwright',
  madeAt: NOON,
  ...change,
});
const open = (list: Forward[], answers: Parameters<typeof Rig.open>[1]['answers'] = [], role: 'maker' | 'keeper' = 'maker') =>
  Rig.open(ForwardPage, {
    snapshot: {
      me: { name: 'millwright', role },
      nodes: [aNode({ reportSeconds: 30 })],
      points: [aPoint(), aPoint({ id: 2, name: 'fan', label: 'Fan', kind: 'switched' })],
      latest: [{ point: 1, at: NOON, value: 63.5, quality: 'good', reason: null, low: null, high: null, base: null }],
    },
    answers: [[forwards.list, list], ...answers!],
  });

describe('where readings are forwarded to', () => {
  it('each says how it stands: what arrived, what waits, what went wrong, what grew too old', async () => {
    const rig = await open([
      one(),
      one({ id: 4, paused: true, waiting: 1 }),
      one({ id: 5, failure: 'it answered 503', failedAt: NOON, waiting: 7, dropped: 2 }),
    ]);
    const rows = rig.rows('.forwards li');
    expect(rows[0]).toMatch(
      /Valley https:\/\/valley.example.org\/in Humidity, loft-climate 12 readings arrived, the last .*nothing waits\./,
    );
    expect(rows[1]).toMatch(/Paused: 1 reading waits\./);
    expect(rows[2]).toMatch(/Not taken, .*: it answered 503; 7 readings wait, it is tried again; 2 readings grew too old and did not go\./);
  });
  it('keepers see none of it', async () => {
    const rig = await open([one()], [], 'keeper');
    expect(rig.text).toMatch(/Only makers/);
    expect(rig.text).not.toMatch(/valley/);
    expect(rig.asked(forwards.list)).toEqual([]);
  });
  it('another receiver: what would go is shown, what arises is held against what it takes, and goes as typed', async () => {
    const rig = await open([], [[forwards.add, one()]]);
    await rig.press('Forward readings');
    expect(rig.text).not.toMatch(/Fan/);
    await rig.fill('#fw-name', 'Valley');
    await rig.fill('#fw-url', 'https://valley.example.org/in');
    await rig.press('Forward');
    expect([rig.asked(forwards.add), rig.text]).toEqual([[], expect.stringMatching(/Choose at least one point/)]);
    rig.element.querySelector<HTMLInputElement>('mat-checkbox input')!.click();
    await rig.settle();
    expect(rig.text).toMatch(/About 120 readings arise in an hour; they go as they come\./);
    await rig.fill('#fw-sends', '2');
    await rig.fill('#fw-records', '10');
    expect(rig.text).toMatch(/About 30 readings arise in 15 min, and it takes 20: what is too much waits/);
    await rig.press('a line each');
    expect(rig.element.querySelector('pre')!.textContent).toBe('loft-climate humidity 63.5 1795521600\n');
    await rig.fill('#fw-record', '{colour}');
    expect(rig.text).toMatch(/\{colour\} stands for nothing here/);
    await rig.fill('#fw-record', '{value}');
    await rig.press('Forward');
    expect(rig.asked(forwards.add)[0]!.body).toMatchObject({
      kind: 'http',
      points: [1],
      cap: { sends: 2, records: 10, windowSeconds: 900 },
      body: { record: '{value}', contentType: 'text/plain' },
    });
  });
  it('changed: the password stays where none is typed, and a refusal keeps what was', async () => {
    const refused = new ApiError(409, 'Somebody else has changed this forward: it is version 3 now.');
    const rig = await open([one()], [[forwards.change, () => Promise.reject(refused)]]);
    await rig.press('Change Valley');
    await rig.fill('#fw-name', 'Valley group');
    await rig.press('Keep it');
    const asked = rig.asked(forwards.change)[0]!.body as { from: number; settings: object };
    expect([asked.from, 'password' in asked.settings]).toEqual([2, false]);
    expect(rig.text).toMatch(/version 3 now/);
    expect(rig.element.querySelector<HTMLInputElement>('#fw-name')!.value).toBe('Valley group');
  });
  it('a broker: topics as they would be; a wildcard is refused at its field', async () => {
    const rig = await open([]);
    await rig.press('Forward readings');
    rig.element.querySelectorAll<HTMLElement>('mat-button-toggle button')[1]!.click();
    await rig.settle();
    await rig.fill('#fw-topic', 'mill/{room}/{point}');
    expect(rig.element.querySelector('pre')!.textContent).toBe('mill/Grain loft/humidity   63.5');
    await rig.fill('#fw-topic', 'mill/#');
    expect(rig.text).toMatch(/a topic without \+ and #/);
  });
  it('is tested, paused and taken away, each asked of the server', async () => {
    const rig = await open(
      [one()],
      [
        [forwards.test, { delivered: false, ms: 20, detail: 'it answered 404' }],
        [forwards.pause, one({ paused: true })],
        [forwards.remove, {}],
      ],
    );
    await rig.press('Test Valley');
    expect(rig.text).toMatch(/Valley: it answered 404/);
    await rig.press('Pause Valley');
    expect(rig.asked(forwards.pause)[0]).toMatchObject({ params: { id: 3 }, body: { paused: true } });
    await rig.press('Take away Valley');
    expect(rig.asked(forwards.remove)).toEqual([]);
    await rig.press('Take it away');
    expect(rig.asked(forwards.remove)).toHaveLength(1);
  });
});
